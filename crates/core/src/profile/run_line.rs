//! A profile made of a `run` line, as a value and as a text.

use super::{Argument, FramesPerProcess, Profile};
use crate::job::RunEntry;
use crate::source::Place;

impl Profile {
    /// The profile of a `run` line: what it can take follows from its tokens, and how it names
    /// its files is learned.
    #[must_use]
    pub fn of_run(run: &[RunEntry], place: &Place) -> Self {
        let (program, entries) =
            run.split_first()
                .map_or((String::new(), &[][..]), |(first, rest)| {
                    let word = first.arguments.first();
                    (
                        word.map_or_else(String::new, |(_, word)| word.text.clone()),
                        rest,
                    )
                });
        let has = |name: &str| {
            let mut arguments = entries.iter().flat_map(|entry| &entry.arguments);
            arguments.any(|(template, _)| template.has(name))
        };
        let takes = if has("frame") {
            FramesPerProcess::One
        } else if has("frames") {
            FramesPerProcess::List
        } else if has("first") && has("last") && has("step") {
            FramesPerProcess::Stepped
        } else if has("first") && has("last") {
            FramesPerProcess::Range
        } else {
            FramesPerProcess::Nothing
        };
        let name = program.rsplit(['/', '\\']).next().unwrap_or(&program);
        Self {
            name: name.to_owned(),
            program: program.clone(),
            is_run_line: true,
            takes,
            in_order: matches!(takes, FramesPerProcess::Range | FramesPerProcess::Stepped),
            arguments: entries
                .iter()
                .map(|entry| Argument {
                    when: Vec::new(),
                    each: None,
                    split: false,
                    put: entry.arguments.iter().map(|(one, _)| one.clone()).collect(),
                    changes_picture: entry.changes_picture,
                })
                .collect(),
            place: Some(place.clone()),
            ..Self::default()
        }
    }
}

/// The text of a profile that does what a `run` line does.
#[must_use]
pub fn profile_of_run(run: &[RunEntry], name: &str, profile: &Profile) -> String {
    let quoted = |text: &str| serde_json::Value::from(text).to_string();
    let takes = match profile.takes {
        FramesPerProcess::Range => "range",
        FramesPerProcess::Stepped => "stepped",
        FramesPerProcess::List => "list",
        FramesPerProcess::One | FramesPerProcess::Nothing => "one",
    };
    let mut text = format!(
        "# How to speak to {name}. `truepath engines show {name}` explains it flag by flag.\n\n\
         engine = {{ name = {}, program = {}, frames = \"{takes}\" }}\n\n\
         # How it prints its version; uncomment and fix.\n\
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
         # log = [{ warning = '[Ww]arning: (?P<text>.*)' }, { error = '[Ee]rror: (?P<text>.*)' }]\n\
         # Whether a frame with such an error fails, also when the process ends with success.\n\
         # error-fails = true\n",
    );
    text
}
