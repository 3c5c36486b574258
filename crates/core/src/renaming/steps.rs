//! The order in which files are renamed, so that none ever meets another.

use std::collections::{HashMap, HashSet};

use super::Rename;

/// What stands in the way of a rename.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Obstacle {
    /// Two files are to have one name.
    SameName {
        /// The first of them.
        first: String,
        /// The other.
        second: String,
        /// The name.
        to: String,
    },
    /// A file has the name, and keeps it.
    Taken {
        /// The file that is to have it.
        from: String,
        /// The name.
        to: String,
    },
}

/// The single renames, in an order in which each name is free when its turn comes. Files that change names in a
/// circle go through a temporary name, which `temporary` gives for the path that it will have. What has its name already
/// is no step.
///
/// # Errors
/// All that stands in the way; then nothing may be renamed.
pub fn steps(
    renames: &[Rename],
    is_there: &dyn Fn(&str) -> bool,
    temporary: &dyn Fn(&str) -> String,
) -> Result<Vec<Rename>, Vec<Obstacle>> {
    let mut obstacles = Vec::new();
    let mut by_target: HashMap<&str, usize> = HashMap::new();
    let sources: HashMap<&str, usize> = renames
        .iter()
        .enumerate()
        .map(|(at, one)| (one.from.as_str(), at))
        .collect();
    for (at, one) in renames.iter().enumerate() {
        if let Some(first) = by_target.insert(&one.to, at) {
            obstacles.push(Obstacle::SameName {
                first: renames[first].from.clone(),
                second: one.from.clone(),
                to: one.to.clone(),
            });
        } else if !sources.contains_key(one.to.as_str()) && is_there(&one.to) {
            obstacles.push(Obstacle::Taken {
                from: one.from.clone(),
                to: one.to.clone(),
            });
        }
    }
    if !obstacles.is_empty() {
        return Err(obstacles);
    }
    let mut done: HashSet<usize> = HashSet::new();
    let mut steps = Vec::new();
    for start in 0..renames.len() {
        // What stands at the end of a chain has a free name, and goes first.
        let mut chain = Vec::new();
        let mut in_chain: HashSet<usize> = HashSet::new();
        let mut next = Some(start);
        while let Some(at) = next.filter(|at| !done.contains(at) && in_chain.insert(*at)) {
            chain.push(at);
            let to = renames[at].to.as_str();
            next = sources.get(to).copied().filter(|_| to != renames[at].from);
        }
        let is_circle = next.is_some_and(|at| chain.first() == Some(&at)) && chain.len() > 1;
        let mut last = None;
        if is_circle && let Some(&first) = chain.first() {
            let aside = temporary(&renames[first].to);
            steps.push(Rename {
                from: renames[first].from.clone(),
                to: aside.clone(),
            });
            last = Some(Rename {
                from: aside,
                to: renames[first].to.clone(),
            });
            chain.remove(0);
            done.insert(first);
        }
        for at in chain.into_iter().rev() {
            done.insert(at);
            if renames[at].from != renames[at].to {
                steps.push(renames[at].clone());
            }
        }
        steps.extend(last);
    }
    Ok(steps)
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use proptest::prelude::*;

    use super::*;

    fn rename(from: &str, to: &str) -> Rename {
        Rename {
            from: from.to_owned(),
            to: to.to_owned(),
        }
    }

    /// Does the steps on a table of names; fails where a name is taken.
    fn play(names: &mut BTreeMap<String, String>, steps: &[Rename]) {
        for step in steps {
            let content = names.remove(&step.from).unwrap();
            assert_eq!(names.insert(step.to.clone(), content), None, "{step:?}");
        }
    }

    fn aside(path: &str) -> String {
        format!("{path}.aside")
    }

    #[test]
    fn chains_go_from_their_end_and_circles_by_a_temporary_name() {
        let renames = [
            rename("1", "2"),
            rename("2", "3"),
            rename("a", "b"),
            rename("b", "a"),
            rename("s", "s"),
        ];
        let mut names: BTreeMap<String, String> = renames
            .iter()
            .map(|one| (one.from.clone(), one.from.clone()))
            .collect();
        let steps = steps(&renames, &|name| names.contains_key(name), &aside).unwrap();
        play(&mut names, &steps);
        let now: Vec<(&str, &str)> = names.iter().map(|(name, was)| (&**name, &**was)).collect();
        assert_eq!(
            now,
            [("2", "1"), ("3", "2"), ("a", "b"), ("b", "a"), ("s", "s")]
        );
    }

    #[test]
    fn one_name_for_two_and_a_name_that_stays_taken_are_refused() {
        let renames = [rename("1", "x"), rename("2", "x"), rename("3", "kept")];
        let found = steps(&renames, &|name| name == "kept", &aside).unwrap_err();
        assert_eq!(found.len(), 2, "{found:?}");
        assert!(
            matches!(&found[0], Obstacle::SameName { first, second, .. } if first == "1" && second == "2")
        );
        assert!(matches!(&found[1], Obstacle::Taken { from, .. } if from == "3"));
    }

    proptest! {
        #[test]
        fn any_change_of_names_keeps_every_file(targets in proptest::sample::subsequence((0..24_u32).collect::<Vec<_>>(), 12).prop_shuffle()) {
            let renames: Vec<Rename> = targets
                .iter()
                .enumerate()
                .map(|(from, to)| rename(&from.to_string(), &to.to_string()))
                .collect();
            let mut names: BTreeMap<String, String> =
                renames.iter().map(|one| (one.from.clone(), one.from.clone())).collect();
            let steps = steps(&renames, &|name| names.contains_key(name), &aside).unwrap();
            play(&mut names, &steps);
            for one in &renames {
                prop_assert_eq!(names.get(&one.to), Some(&one.from));
            }
        }
    }
}
