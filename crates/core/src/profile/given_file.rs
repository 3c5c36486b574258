//! Files that an engine is given: a script that it runs, or a file of options.

use serde_json::Value;

use crate::template::Template;

/// A file to write before an engine starts.
#[derive(Debug, Clone)]
pub struct GivenFile {
    /// Its name in the staging folder.
    pub name: String,
    /// What stands in it.
    pub content: Content,
}

/// What stands in a given file.
#[derive(Debug, Clone)]
pub enum Content {
    /// A text in which each token becomes a value of the language.
    Text(Language, Template),
    /// A JSON value whose texts are templates; a text that is one token becomes its value.
    Json(JsonTemplate),
}

/// The language of a given text: how a value is written in it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Language {
    /// Python 3: `\"text\"`, `7`, `["a", "b"]`, `{"key": 1.5}`.
    Python,
    /// A POSIX shell: each value one quoted word.
    Shell,
    /// As it is; values that hold a control character are refused.
    Plain,
}

impl Language {
    /// All of them, with their words in profiles.
    pub const ALL: [(&'static str, Self); 3] = [
        ("python", Self::Python),
        ("sh", Self::Shell),
        ("plain", Self::Plain),
    ];
}

/// A JSON value whose texts are templates.
#[derive(Debug, Clone)]
pub enum JsonTemplate {
    /// A text.
    Text(Template),
    /// Anything that holds no token.
    Plain(Value),
    /// A list.
    List(Vec<JsonTemplate>),
    /// An object. An entry whose token has no value is left out.
    Object(Vec<(String, JsonTemplate)>),
}

impl JsonTemplate {
    /// Goes through its templates.
    pub(crate) fn each_template(&mut self, act: &mut dyn FnMut(&mut Template)) {
        match self {
            Self::Plain(_) => {}
            Self::Text(template) => act(template),
            Self::List(items) => {
                for item in items {
                    item.each_template(act);
                }
            }
            Self::Object(entries) => {
                for (_, entry) in entries {
                    entry.each_template(act);
                }
            }
        }
    }
}
