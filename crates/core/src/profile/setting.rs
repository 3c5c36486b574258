//! Settings that an engine knows.

/// A setting that an engine knows.
#[derive(Debug, Clone, PartialEq)]
pub struct SettingFacts {
    /// Its name.
    pub name: String,
    /// What it takes.
    pub takes: SettingTakes,
}

/// What a setting takes.
#[derive(Debug, Clone, PartialEq)]
pub enum SettingTakes {
    /// Any text.
    Text,
    /// True or false.
    Truth,
    /// A whole number, in a range.
    Whole(Option<f64>, Option<f64>),
    /// A number, in a range.
    Number(Option<f64>, Option<f64>),
    /// One of these words.
    Words(Vec<String>),
}

impl SettingFacts {
    /// What it takes, where that is something else than this value.
    #[must_use]
    pub fn rejects(&self, value: &str) -> Option<String> {
        let (wanted, fits) = match &self.takes {
            SettingTakes::Text => return None,
            SettingTakes::Truth => (
                "true or false".to_owned(),
                ["true", "false"].contains(&value),
            ),
            SettingTakes::Whole(from, to) => {
                let whole = value.parse::<i64>().is_ok();
                (
                    range("a whole number", *from, *to),
                    whole && within(value, *from, *to),
                )
            }
            SettingTakes::Number(from, to) => {
                (range("a number", *from, *to), within(value, *from, *to))
            }
            SettingTakes::Words(words) => (
                format!("one of {}", words.join(", ")),
                words.iter().any(|word| word == value),
            ),
        };
        (!fits).then_some(wanted)
    }

    /// What it takes, in words.
    #[must_use]
    pub fn wanted(&self) -> String {
        match &self.takes {
            SettingTakes::Text => "a text".to_owned(),
            SettingTakes::Truth => "true or false".to_owned(),
            SettingTakes::Whole(from, to) => range("a whole number", *from, *to),
            SettingTakes::Number(from, to) => range("a number", *from, *to),
            SettingTakes::Words(words) => format!("one of {}", words.join(", ")),
        }
    }
}

fn within(value: &str, from: Option<f64>, to: Option<f64>) -> bool {
    value.parse::<f64>().is_ok_and(|number| {
        number.is_finite()
            && from.is_none_or(|from| number >= from)
            && to.is_none_or(|to| number <= to)
    })
}

fn range(what: &str, from: Option<f64>, to: Option<f64>) -> String {
    match (from, to) {
        (None, None) => what.to_owned(),
        (Some(from), None) => format!("{what} from {from}"),
        (None, Some(to)) => format!("{what} up to {to}"),
        (Some(from), Some(to)) => format!("{what} from {from} to {to}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rejects_what_does_not_fit_and_says_what_would() {
        let fact = |takes| SettingFacts {
            name: "samples".to_owned(),
            takes,
        };
        let whole = fact(SettingTakes::Whole(Some(1.0), Some(4096.0)));
        assert_eq!(whole.rejects("16"), None);
        for wrong in ["0", "4097", "1.5", "many", ""] {
            assert_eq!(
                whole.rejects(wrong).as_deref(),
                Some("a whole number from 1 to 4096"),
                "{wrong}"
            );
        }
        assert_eq!(fact(SettingTakes::Number(None, None)).rejects("-1.5"), None);
        assert!(
            fact(SettingTakes::Number(None, None))
                .rejects("NaN")
                .is_some()
        );
        assert!(fact(SettingTakes::Truth).rejects("yes").is_some());
        assert!(
            fact(SettingTakes::Words(vec!["a".to_owned()]))
                .rejects("b")
                .is_some()
        );
        assert_eq!(fact(SettingTakes::Text).rejects("anything"), None);
    }
}
