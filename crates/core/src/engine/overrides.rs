//! What a command line says, and what it leaves to the scene.

use super::arguments::text_of;
use super::call::Call;
use crate::template::TokenValue;

/// What a process is told of the picture, and what it is not, by the tokens of its profile.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Overrides {
    /// What the job sets: name and value.
    pub told: Vec<(String, String)>,
    /// What the engine could be told and is not, so that the scene or the engine decides.
    pub left: Vec<String>,
    /// What the job sets and the engine has no argument for.
    pub unheard: Vec<String>,
}

/// What a scene may decide.
const DECIDED: [&str; 11] = [
    "camera",
    "view",
    "pass",
    "size",
    "crop",
    "pixel-aspect",
    "channels",
    "bits",
    "compression",
    "quality",
    "threads",
];

impl Call<'_> {
    /// What the process is told of the picture, and what it is not.
    #[must_use]
    pub fn overrides(&self) -> Overrides {
        let mut overrides = Overrides::default();
        for name in DECIDED {
            let tokens: &[&str] = match name {
                "size" => &["width", "height"],
                "crop" => &["crop.width", "crop.height", "crop.left", "crop.top"],
                _ => &[name],
            };
            let heard = tokens.iter().all(|token| self.profile.mentions(token));
            let values: Vec<String> = tokens
                .iter()
                .filter_map(|token| text_of(&self.value(token)))
                .collect();
            match (heard, values.len() == tokens.len()) {
                (true, true) => overrides.told.push((name.to_owned(), values.join("x"))),
                (true, false) => overrides.left.push(name.to_owned()),
                (false, true) if name != "view" => overrides.unheard.push(name.to_owned()),
                (false, _) => {}
            }
        }
        for (key, word) in self.deliverables[0].settings.iter() {
            let heard = self.profile.arguments.iter().any(|one| one.each.is_some())
                || self.profile.mentions(&format!("settings.{key}"));
            if heard {
                overrides.told.push((key.clone(), word.text.clone()));
            } else {
                overrides.unheard.push(key.clone());
            }
        }
        overrides
    }

    fn value(&self, token: &str) -> TokenValue {
        let Some(each) = super::Each::of_token(token) else {
            return self.token(token);
        };
        let list = self.words(each);
        if list.is_empty() {
            TokenValue::Nothing
        } else {
            TokenValue::Text(list.join(", "))
        }
    }
}
