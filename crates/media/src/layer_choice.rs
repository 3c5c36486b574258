//! Which layer of a file is meant by the words of a pass and a view.

/// Why no layer of a file is the one that is meant.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LayerChoiceError {
    /// None has all the words.
    #[error("it has no layer {wanted}; it has {}", listed(found))]
    None {
        /// The words.
        wanted: String,
        /// The layers that it has.
        found: Vec<String>,
    },
    /// Several may be meant.
    #[error("{wanted} may be {} in it", found.join(" or "))]
    Several {
        /// What is meant.
        wanted: String,
        /// The layers that it may be.
        found: Vec<String>,
    },
}

fn listed(names: &[String]) -> String {
    let title = |name: &String| {
        if name.is_empty() {
            "(main)".to_owned()
        } else {
            name.clone()
        }
    };
    let titles: Vec<String> = names.iter().map(title).collect();
    titles.join(", ")
}

/// The parts of the name of a layer: `left.depth` has two.
fn parts(name: &str) -> Vec<&str> {
    name.split(['.', '_', '-', ' ']).collect()
}

/// Whether the name of a layer has some words among its parts, in capitals or not.
pub(crate) fn has_words<'w>(name: &str, mut words: impl Iterator<Item = &'w str>) -> bool {
    let parts = parts(name);
    words.all(|word| parts.iter().any(|part| part.eq_ignore_ascii_case(word)))
}

/// The index of the layer that has some words in its name; where several have, of the one with the fewest others.
/// Without words it is the layer without a name, or the only one.
///
/// # Errors
/// When there is none, or several are alike.
pub fn choose_layer(names: &[&str], words: &[&str]) -> Result<usize, LayerChoiceError> {
    let wanted = || match words {
        [] => "the picture itself".to_owned(),
        words => words.join(" "),
    };
    let own = |indices: Vec<usize>| indices.iter().map(|at| names[*at].to_owned()).collect();
    let mut fitting: Vec<usize> = if words.is_empty() {
        let unnamed = names.iter().position(|name| name.is_empty());
        unnamed.map_or_else(|| (0..names.len()).collect(), |at| vec![at])
    } else {
        let has = |at: &usize| has_words(names[*at], words.iter().copied());
        (0..names.len()).filter(has).collect()
    };
    let fewest = fitting.iter().map(|at| parts(names[*at]).len()).min();
    if !words.is_empty() {
        fitting.retain(|at| Some(parts(names[*at]).len()) == fewest);
    }
    match fitting[..] {
        [one] => Ok(one),
        [] => Err(LayerChoiceError::None {
            wanted: wanted(),
            found: own((0..names.len()).collect()),
        }),
        _ => Err(LayerChoiceError::Several {
            wanted: wanted(),
            found: own(fitting),
        }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_layer_is_chosen_by_its_words_and_never_guessed() {
        let names = [
            "",
            "depth",
            "shadow",
            "shadow.soft",
            "left.normal",
            "right.normal",
        ];
        let chosen = |words: &[&str]| choose_layer(&names, words);
        assert_eq!(chosen(&[]), Ok(0));
        assert_eq!(chosen(&["DEPTH"]), Ok(1));
        assert_eq!(chosen(&["shadow"]), Ok(2));
        assert_eq!(chosen(&["soft"]), Ok(3));
        assert_eq!(chosen(&["right", "normal"]), Ok(5));
        let several = chosen(&["normal"]).unwrap_err().to_string();
        assert_eq!(several, "normal may be left.normal or right.normal in it");
        let none = chosen(&["dep"]).unwrap_err().to_string();
        assert!(
            none.starts_with("it has no layer dep; it has (main), depth"),
            "{none}"
        );
        assert_eq!(choose_layer(&["Z"], &[]), Ok(0));
        assert!(choose_layer(&["a", "b"], &[]).is_err());
    }
}
