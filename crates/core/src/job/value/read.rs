//! Reads the value of a key by its kind.

use super::text::{bit_rate, duration, scale, share, weights};
use super::{Only, RunEntry, Value, Word};
use crate::finding::Finding;
use crate::frames::FrameSet;
use crate::job::tree::{Node, NodeKind};
use crate::job::{KeyFacts, Kind};
use crate::movie::{audio_codec, codec, container, pixel_format};
use crate::nearest::{advice, nearest};
use crate::picture::{Bits, Channels, NAMED_SIZES, Region, Size, format, transfer};
use crate::source::Place;
use crate::template::{Template, refuse_component};

/// Reads a value; `sizes` are the project's own.
///
/// # Errors
/// One finding for each thing that is wrong with it.
pub(in crate::job) fn read(
    facts: &KeyFacts,
    node: &Node,
    sizes: &[(String, Size)],
) -> Result<Value, Vec<Finding>> {
    let at = At { facts, node };
    match facts.kind {
        Kind::Text => at.text().map(Value::Text),
        Kind::Component => Ok(Value::Words(vec![component(facts, node)?])),
        Kind::Components => at.components().map(Value::Words),
        Kind::Number => match node.kind {
            NodeKind::Integer(number @ 0..) => Ok(Value::Number(number)),
            NodeKind::Integer(number) => {
                Err(at.refuse(&number.to_string(), "it takes a number from 0"))
            }
            _ => Err(at.wrong_kind()),
        },
        Kind::Quality => match node.kind {
            NodeKind::Integer(number @ 1..=100) => Ok(Value::Number(number)),
            NodeKind::Integer(number) => {
                Err(at.refuse(&number.to_string(), "it takes a number from 1 to 100"))
            }
            _ => Err(at.wrong_kind()),
        },
        Kind::Signed | Kind::Frame => match node.kind {
            NodeKind::Integer(number) => Ok(Value::Number(number)),
            _ => Err(at.wrong_kind()),
        },
        Kind::Version => match &node.kind {
            NodeKind::Text(text) => version_template(at, text),
            NodeKind::Integer(number @ 0..) => Ok(Value::Number(*number)),
            _ => Err(at.wrong_kind()),
        },
        Kind::Rate => match node.kind {
            NodeKind::Integer(number) if number > 0 => Ok(Value::Text(number.to_string())),
            NodeKind::Float(number) if number > 0.0 && number.is_finite() => {
                Ok(Value::Text(number.to_string()))
            }
            NodeKind::Integer(_) | NodeKind::Float(_) => Err(at.refuse(
                &node.scalar().unwrap_or_default(),
                "it takes a number above zero",
            )),
            _ => Err(at.wrong_kind()),
        },
        Kind::Template => template(&at.text()?, &node.place)
            .map(|(template, length)| Value::Template(template, length)),
        Kind::Frames => at.frames().map(Value::Frames),
        Kind::Size => at.size(sizes).map(Value::Size),
        Kind::Format => at.choice(|word| format(word).map(Value::Format)),
        Kind::Channels => at.choice(|word| Channels::of_word(word).map(Value::Channels)),
        Kind::Bits => at.choice(|word| Bits::of_word(word).map(Value::Bits)),
        Kind::Choice(words) => at.choice(|word| {
            let known = words.contains(&word);
            known.then(|| Value::Text(word.to_owned()))
        }),
        Kind::Transfer => at.choice(|word| transfer(word).map(Value::Transfer)),
        Kind::Container => at.choice(|word| container(word).map(Value::Container)),
        Kind::Codec => at.choice(|word| codec(word).map(Value::Codec)),
        Kind::AudioCodec => at.choice(|word| audio_codec(word).map(Value::AudioCodec)),
        Kind::Pixels => at.choice(|word| pixel_format(word).map(Value::Pixels)),
        Kind::Only => at.choice(|word| match word {
            "all" => Some(Value::Only(Only::All)),
            "first-middle-last" => Some(Value::Only(Only::FirstMiddleLast)),
            _ => None,
        }),
        Kind::Settings => at.settings(),
        Kind::Layers => at.layers(),
        Kind::Run => at.run(),
        Kind::Codes => at.codes(),
        Kind::Scale => at.part("it takes `10%`, `1/8` or `0.125`"),
        Kind::Ratio => at.part("it takes `2`, `1.5` or `64/45`"),
        Kind::Region => at.parsed("it takes a part such as `640x360 at 100,50`", |text| {
            text.parse::<Region>().ok().map(Value::Region)
        }),
        Kind::BitRate => at.parsed("it takes `20M` or `800k`", |text| {
            bit_rate(text).map(Value::Number)
        }),
        Kind::Share => at.parsed(
            "it takes a part such as `2/4`, the second of four",
            |text| share(text).map(|(part, of)| Value::Share(part, of)),
        ),
        Kind::Weights => at.parsed("it takes numbers such as `8,8,16,4`", |text| {
            weights(text).map(Value::Weights)
        }),
        Kind::Duration => at.parsed("it takes a time such as `90s`, `5m` or `2h`", |text| {
            duration(text).map(Value::Duration)
        }),
        Kind::Truth => match node.kind {
            NodeKind::Boolean(truth) => Ok(Value::Truth(truth)),
            _ => Err(at.wrong_kind()),
        },
        // The reader of tables takes it apart into the keys.
        Kind::Keys => Ok(Value::Unset),
    }
}

/// A key and what stands behind it.
#[derive(Clone, Copy)]
struct At<'a> {
    facts: &'a KeyFacts,
    node: &'a Node,
}

impl At<'_> {
    fn wrong_kind(self) -> Vec<Finding> {
        let (facts, node) = (self.facts, self.node);
        vec![
            Finding::error(
                "TP003",
                format!(
                    "`{}` takes {}, not {}",
                    facts.name,
                    facts.kind.looks_like(),
                    node.kind_word()
                ),
            )
            .at(&node.place, "")
            .advise(format!("for example: {}", facts.example)),
        ]
    }

    fn refuse(self, text: &str, advice: impl Into<String>) -> Vec<Finding> {
        vec![
            Finding::error(
                "TP004",
                format!("`{text}` is no value for `{}`", self.facts.name),
            )
            .at(&self.node.place, "")
            .advise(advice),
        ]
    }

    fn text(self) -> Result<String, Vec<Finding>> {
        match &self.node.kind {
            NodeKind::Text(text) => Ok(text.clone()),
            _ => Err(self.wrong_kind()),
        }
    }

    fn scalar(self) -> Result<String, Vec<Finding>> {
        self.node.scalar().ok_or_else(|| self.wrong_kind())
    }

    /// A single value that is read by a function.
    fn parsed(
        self,
        advice: &str,
        read: impl Fn(&str) -> Option<Value>,
    ) -> Result<Value, Vec<Finding>> {
        let text = self.scalar()?;
        read(&text).ok_or_else(|| self.refuse(&text, advice))
    }

    /// A number of the kind `1/8`.
    fn part(self, advice: &str) -> Result<Value, Vec<Finding>> {
        self.parsed(advice, |text| {
            scale(text).map(|(part, whole)| Value::Scale(part, whole))
        })
    }

    /// One of the words of the kind.
    fn choice(self, find: impl Fn(&str) -> Option<Value>) -> Result<Value, Vec<Finding>> {
        let text = match self.facts.kind {
            // 8 and 16 are numbers.
            Kind::Bits => self.scalar()?,
            _ => self.text()?,
        };
        find(&text).ok_or_else(|| self.refuse(&text, advice(&text, &self.facts.kind.words())))
    }

    fn components(self) -> Result<Vec<Word>, Vec<Finding>> {
        match &self.node.kind {
            NodeKind::List(items) => items
                .iter()
                .map(|item| component(self.facts, item))
                .collect(),
            _ => Err(self.wrong_kind()),
        }
    }

    fn frames(self) -> Result<FrameSet, Vec<Finding>> {
        let text = self.scalar()?;
        text.parse::<FrameSet>().map_err(|error| {
            let place = self.node.place.part(text.len(), error.span.clone());
            let finding = Finding::error("TP004", error.message).at(&place, "");
            vec![match error.advice {
                Some(advice) => finding.advise(advice),
                None => finding,
            }]
        })
    }

    fn size(self, sizes: &[(String, Size)]) -> Result<Size, Vec<Finding>> {
        let text = self.text()?;
        if let Some((_, size)) = sizes.iter().find(|(name, _)| *name == text) {
            return Ok(*size);
        }
        text.parse::<Size>().map_err(|_| {
            let own = sizes.iter().map(|(name, _)| name.as_str());
            let names: Vec<&str> = own.chain(NAMED_SIZES.map(|(name, _)| name)).collect();
            self.refuse(
                &text,
                match nearest(&text, names.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => format!(
                        "it takes pixels such as `1920x1080`, or a name: {}",
                        names.join(", ")
                    ),
                },
            )
        })
    }

    /// `{ light = ["beauty", "shadow"] }`
    fn layers(self) -> Result<Value, Vec<Finding>> {
        let NodeKind::Table(entries) = &self.node.kind else {
            return Err(self.wrong_kind());
        };
        let mut files: Vec<(Word, Vec<Word>)> = Vec::new();
        for entry in entries {
            let inner = At {
                node: &entry.value,
                ..self
            };
            let name = Word {
                text: entry.key.clone(),
                place: entry.key_place.clone(),
            };
            if let Some(reason) = refuse_component(&name.text) {
                return Err(inner.refuse(&name.text, format!("the name of a file {reason}")));
            }
            let passes = inner.components()?;
            if passes.is_empty() {
                return Err(inner.refuse("[]", "a file holds at least one pass"));
            }
            let taken = |word: &&Word| {
                let mut known = files.iter().flat_map(|(_, passes)| passes);
                known.any(|other| other.text == word.text)
            };
            if let Some(twice) = passes.iter().find(taken) {
                return Err(vec![
                    Finding::error("TP004", format!("the pass `{}` has two files", twice.text))
                        .at(&twice.place, "")
                        .advise("a pass goes into one file"),
                ]);
            }
            files.push((name, passes));
        }
        Ok(Value::Layers(files))
    }

    fn settings(self) -> Result<Value, Vec<Finding>> {
        let NodeKind::Table(entries) = &self.node.kind else {
            return Err(self.wrong_kind());
        };
        let mut settings = Vec::new();
        for entry in entries {
            match entry.value.scalar() {
                Some(text) if !text.chars().any(char::is_control) => {
                    let place = entry.value.place.clone();
                    settings.push((entry.key.clone(), Word { text, place }));
                }
                Some(text) => {
                    return Err(self.refuse(
                        &text.escape_debug().to_string(),
                        "settings hold no control characters",
                    ));
                }
                None => {
                    return Err(vec![
                        Finding::error(
                            "TP003",
                            format!(
                                "the setting `{}` takes a single value, not {}",
                                entry.key,
                                entry.value.kind_word()
                            ),
                        )
                        .at(&entry.value.place, ""),
                    ]);
                }
            }
        }
        Ok(Value::Settings(settings))
    }

    fn run(self) -> Result<Value, Vec<Finding>> {
        let items = match &self.node.kind {
            NodeKind::List(items) if !items.is_empty() => items,
            NodeKind::Text(_) => {
                return Err(self
                    .wrong_kind()
                    .into_iter()
                    .map(|finding| {
                        finding.advise(
                            "each argument is an entry of its own; no shell takes the line apart",
                        )
                    })
                    .collect());
            }
            _ => return Err(self.wrong_kind()),
        };
        let line: Result<Vec<RunEntry>, _> = items.iter().map(run_entry).collect();
        let line = line?;
        if line[0].arguments.len() != 1 {
            return Err(self.refuse(
                "[…]",
                "the first entry is the program alone; groups come after it",
            ));
        }
        Ok(Value::Run(line))
    }

    /// `[3, 4]`: a process may end with a code from 0 to 255.
    fn codes(self) -> Result<Value, Vec<Finding>> {
        let NodeKind::List(items) = &self.node.kind else {
            return Err(self.wrong_kind());
        };
        let mut codes = Vec::new();
        for item in items {
            match item.kind {
                NodeKind::Integer(code @ 0..=255) => codes.push(code),
                NodeKind::Integer(code) => {
                    return Err(self.refuse(&code.to_string(), "exit codes are 0 to 255"));
                }
                _ => return Err(self.wrong_kind()),
            }
        }
        Ok(Value::Codes(codes))
    }
}

/// One argument, a group `["--camera", "{camera}"]`, or `{ put = […], changes-picture = false }`.
fn run_entry(item: &Node) -> Result<RunEntry, Vec<Finding>> {
    let mut changes_picture = true;
    let put = match &item.kind {
        NodeKind::Table(entries) => {
            let mut put = None;
            for entry in entries {
                match (entry.key.as_str(), &entry.value.kind) {
                    ("put", _) => put = Some(&entry.value),
                    ("changes-picture", NodeKind::Boolean(truth)) => changes_picture = *truth,
                    _ => {
                        return Err(vec![
                            Finding::error(
                                "TP002",
                                format!("a group of `run` has no key `{}` of this kind", entry.key),
                            )
                            .at(&entry.key_place, "")
                            .advise("it takes `put`, a list of texts, and `changes-picture`, true or false"),
                        ]);
                    }
                }
            }
            put.ok_or_else(|| {
                vec![
                    Finding::error("TP005", "a group of `run` has no `put`")
                        .at(&item.place, "")
                        .advise(RUN_ENTRY),
                ]
            })?
        }
        _ => item,
    };
    let texts = match &put.kind {
        NodeKind::List(items) if !items.is_empty() => items.iter().collect(),
        _ => vec![put],
    };
    let mut arguments = Vec::new();
    for node in texts {
        let NodeKind::Text(text) = &node.kind else {
            let sentence = format!("an argument of `run` is a text, not {}", node.kind_word());
            return Err(vec![
                Finding::error("TP003", sentence)
                    .at(&node.place, "")
                    .advise(RUN_ENTRY),
            ]);
        };
        let (template, _) = template(text, &node.place)?;
        let word = Word {
            text: text.clone(),
            place: node.place.clone(),
        };
        arguments.push((template, word));
    }
    Ok(RunEntry {
        arguments,
        changes_picture,
    })
}

/// What an entry of a `run` line looks like.
const RUN_ENTRY: &str = "an entry is a text in quotes, or a group such as [\"--camera\", \"{camera}\"], which is left out whole when a token in it has no value";

/// A template for the scene's file name, which must say where the version stands.
fn version_template(at: At<'_>, text: &str) -> Result<Value, Vec<Finding>> {
    let (found, length) = template(text, &at.node.place)?;
    if !found.has("version") {
        return Err(at.refuse(
            text,
            "it takes a number, or a template with `{version}` such as \"{shot}_v{version:03}.toml\"",
        ));
    }
    Ok(Value::Template(found, length))
}

fn component(facts: &KeyFacts, node: &Node) -> Result<Word, Vec<Finding>> {
    let NodeKind::Text(text) = &node.kind else {
        return Err(vec![
            Finding::error(
                "TP003",
                format!("`{}` takes texts, not {}", facts.name, node.kind_word()),
            )
            .at(&node.place, "")
            .advise(format!("for example: {}", facts.example)),
        ]);
    };
    match refuse_component(text) {
        None => Ok(Word {
            text: text.clone(),
            place: node.place.clone(),
        }),
        Some(reason) => Err(vec![
            Finding::error(
                "TP004",
                format!("`{}` is {text:?}, which {reason}", facts.name),
            )
            .at(&node.place, "")
            .advise(
                "it becomes one part of a file name, so it takes letters, digits, spaces and signs",
            ),
        ]),
    }
}

/// Reads a template whose text stands at a place.
fn template(text: &str, place: &Place) -> Result<(Template, usize), Vec<Finding>> {
    if let Some(at) = text.find(|c: char| c.is_control()) {
        let span = at..at + text[at..].chars().next().map_or(1, char::len_utf8);
        return Err(vec![
            Finding::error("TP004", format!("{text:?} holds a control character"))
                .at(&place.part(text.len(), span), "")
                .advise("names hold no line ends, tabs or other control characters"),
        ]);
    }
    if text == "~" || text.starts_with("~/") {
        return Err(vec![
            Finding::error("TP004", format!("`{text}` is not written out here: a folder called `~` would be made"))
                .at(place, "")
                .advise("make it a place with the whole folder, such as [place] renders = \"/home/me/renders\", and start from {place.renders}"),
        ]);
    }
    text.parse::<Template>()
        .map(|template| (template, text.len()))
        .map_err(|error| {
            vec![
                Finding::error("TP004", error.message)
                    .at(&place.part(text.len(), error.span), "")
                    .advise(error.advice),
            ]
        })
}
