//! Reads the values of tokens out of names.

use std::sync::Arc;

use crate::template::{Candidates, Template, TemplateError, Values, readings};

/// The most digits that a frame without a format is looked for with.
const MOST_DIGITS: usize = 10;
/// Reads names by a template. A `{frame}` without a format stands for a frame of any padding.
#[derive(Debug, Clone)]
pub struct NameReader {
    /// The template as it is, and with each number of digits.
    templates: Vec<Template>,
    known: Vec<(String, String)>,
}

/// A name that can be read in several ways.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unclear {
    /// The ways.
    pub readings: Vec<Values>,
}

impl NameReader {
    /// By a template; `known` are values that are given, by token.
    ///
    /// # Errors
    /// When the template cannot be read.
    pub fn new(template: &str, known: &[(String, String)]) -> Result<Self, TemplateError> {
        let mut templates = vec![template.parse::<Template>()?];
        if template.contains("{frame}") {
            for digits in 2..=MOST_DIGITS {
                let padded = template.replace("{frame}", &format!("{{frame:0{digits}}}"));
                templates.push(padded.parse()?);
            }
        }
        Ok(Self {
            templates,
            known: known.to_vec(),
        })
    }

    /// The values of a name; none of one that is none of the template's.
    ///
    /// # Errors
    /// When it can be read in several ways.
    pub fn read(&self, name: &str) -> Result<Option<Values>, Unclear> {
        let candidates = |token: &str| {
            let known = self.known.iter().find(|(name, _)| name == token);
            match known {
                Some((_, value)) => Candidates::Known(Arc::new([value.clone()])),
                None => Candidates::of_any(token),
            }
        };
        let mut found: Vec<Values> = Vec::new();
        for template in &self.templates {
            let read = readings(template, name, &candidates).unwrap_or_default();
            found.extend(read);
        }
        // A frame without padding is one with exactly as many digits as well.
        found.sort();
        found.dedup();
        match found.len() {
            0 | 1 => Ok(found.pop()),
            _ => Err(Unclear { readings: found }),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn value<'v>(values: &'v Values, token: &str) -> Option<&'v str> {
        let found = values.iter().find(|(name, _)| name == token);
        found.map(|(_, value)| value.as_str())
    }

    #[test]
    fn a_frame_has_any_padding_and_what_is_known_makes_names_clear() {
        let reader = NameReader::new("A{frame}.png", &[]).unwrap();
        for name in ["A7.png", "A0007.png", "A0000007.png"] {
            let values = reader.read(name).unwrap().unwrap();
            assert_eq!(value(&values, "frame"), Some("7"), "{name}");
        }
        assert_eq!(reader.read("B7.png"), Ok(None));
        let reader = NameReader::new("{shot}_{pass}_{frame}.png", &[]).unwrap();
        let unclear = reader.read("dawn_sky_beauty_0001.png").unwrap_err();
        assert_eq!(unclear.readings.len(), 2);
        let known = [("pass".to_owned(), "beauty".to_owned())];
        let reader = NameReader::new("{shot}_{pass}_{frame}.png", &known).unwrap();
        let values = reader.read("dawn_sky_beauty_0001.png").unwrap().unwrap();
        assert_eq!(value(&values, "shot"), Some("dawn_sky"));
        assert!(NameReader::new("{shot", &[]).is_err());
    }
}
