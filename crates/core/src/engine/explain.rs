//! A profile in words, argument by argument, and a profile made of a `run` line.

use super::{Argument, ENGINE_TOKENS, Each, Profile, Takes};
use crate::job::RunEntry;
use crate::template::Template;
use crate::token::TOKENS;

/// An entry of the arguments, in words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Explained {
    /// What is put, as the profile writes it.
    pub put: String,
    /// When, where it is not always.
    pub when: String,
    /// Its tokens, with what they stand for.
    pub tokens: Vec<(String, String)>,
    /// Whether another value would make another picture.
    pub changes_picture: bool,
}

impl Profile {
    /// The arguments, in words.
    #[must_use]
    pub fn explain(&self) -> Vec<Explained> {
        self.arguments
            .iter()
            .map(|one| self.explained(one))
            .collect()
    }

    fn explained(&self, argument: &Argument) -> Explained {
        let put: Vec<String> = argument.put.iter().map(ToString::to_string).collect();
        let mut when = Vec::new();
        for (token, values) in &argument.when {
            let values: Vec<String> = values
                .iter()
                .map(|value| match value.as_str() {
                    "" => "nothing".to_owned(),
                    value => value.to_owned(),
                })
                .collect();
            when.push(format!("{token} is {}", values.join(" or ")));
        }
        if let Some(each) = argument.each {
            when.push(
                match each {
                    Each::Settings => "once for every setting",
                    Each::Passes => "once for every pass",
                    Each::Views => "once for every view",
                }
                .to_owned(),
            );
        }
        let mut tokens: Vec<(String, String)> = Vec::new();
        for (token, _) in argument.put.iter().flat_map(Template::tokens) {
            if tokens.iter().all(|(known, _)| *known != token.name) {
                tokens.push((token.name.clone(), self.meaning(&token.name)));
            }
        }
        Explained {
            put: put.join(" "),
            when: when.join(", "),
            tokens,
            changes_picture: argument.changes_picture,
        }
    }

    /// What a token of the profile stands for.
    fn meaning(&self, name: &str) -> String {
        if let Some(table) = name.strip_prefix("map.")
            && let Some(words) = self.maps.iter().find(|words| words.name == table)
        {
            return format!("its own word for {}", words.by.join(" and "));
        }
        if let Some(setting) = name.strip_prefix("settings.") {
            let known = self.settings.iter().find(|known| known.name == setting);
            return match known {
                Some(known) => format!("a setting: {}", known.wanted()),
                None => "a setting".to_owned(),
            };
        }
        let of_engines = ENGINE_TOKENS.iter().map(|one| (one.name, one.meaning));
        let of_paths = TOKENS.iter().map(|one| (one.name, one.meaning));
        let mut all = of_engines.chain(of_paths);
        let found = all.find(|(known, _)| *known == name);
        found.map_or_else(
            || "a token of the project".to_owned(),
            |(_, meaning)| meaning.to_owned(),
        )
    }
}

impl Takes {
    /// What one process takes, in words.
    #[must_use]
    pub fn meaning(self) -> &'static str {
        match self {
            Self::One => "one frame a process",
            Self::Range => "a range of frames a process",
            Self::Stepped => "a range with a step a process",
            Self::List => "any frames in one process",
            Self::Nothing => "no frame at all",
        }
    }
}

/// The text of a profile that does what a `run` line does.
#[must_use]
pub fn profile_of_run(run: &[RunEntry], name: &str, profile: &Profile) -> String {
    let quoted = |text: &str| serde_json::Value::from(text).to_string();
    let takes = match profile.takes {
        Takes::Range => "range",
        Takes::Stepped => "stepped",
        Takes::List => "list",
        Takes::One | Takes::Nothing => "one",
    };
    let mut text = format!(
        "# How to speak to {name}. `truepath engines show {name}` explains it flag by flag.\n\n\
         engine = {{ name = {}, program = {}, frames = \"{takes}\" }}\n\n\
         # How it tells its version; uncomment and fix.\n\
         # version = {{ ask = [\"--version\"], find = '(?P<version>[0-9.]+)' }}\n\narguments = [\n",
        quoted(name),
        quoted(&profile.program)
    );
    for entry in run.iter().skip(1) {
        let words: Vec<String> = entry
            .arguments
            .iter()
            .map(|(_, word)| quoted(&word.text))
            .collect();
        let group = match &words[..] {
            [one] => one.clone(),
            _ => format!("[{}]", words.join(", ")),
        };
        if entry.changes_picture {
            text.push_str(&format!("  {group},\n"));
        } else {
            text.push_str(&format!(
                "  {{ put = {group}, changes-picture = false }},\n"
            ));
        }
    }
    text.push_str("]\n");
    if profile.in_order {
        text.push_str("\n# It finishes each frame before it begins the next.\nin-order = true\n");
    }
    text.push_str(
        "\n# How it names its files. Unset, that is learned from what appears; with it, each frame is\n\
         # published as soon as it is finished.\n\
         # output-name = \"{target.stem}{frame:?}.{ext}\"\n\n\
         # What its log lines mean.\n\
         # log = [{ warning = '[Ww]arning: (?P<text>.*)' }, { error = '[Ee]rror: (?P<text>.*)' }]\n",
    );
    text
}
