//! Reads the value of a key by its kind.

use std::time::Duration;

use super::tree::{Node, NodeKind};
use super::{KeyFacts, Kind};
use crate::finding::Finding;
use crate::frames::FrameSet;
use crate::nearest::{advice, nearest};
use crate::picture::{Bits, Channels, FORMATS, FormatFacts, NAMED_SIZES, Size, format};
use crate::source::Place;
use crate::template::{Template, refuse_component};

/// A text with its own place.
#[derive(Debug, Clone, PartialEq)]
pub struct Word {
    /// The text.
    pub text: String,
    /// Where it was written.
    pub place: Place,
}

impl Word {
    /// The text of a word that may be missing.
    #[must_use]
    pub fn text_of(word: Option<&Self>) -> Option<&str> {
        word.map(|word| word.text.as_str())
    }
}

/// The value of a key.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// A text.
    Text(String),
    /// One or more components of paths.
    Words(Vec<Word>),
    /// A whole number.
    Number(i64),
    /// A path with tokens; with the length of its text in bytes.
    Template(Template, usize),
    /// Frames.
    Frames(FrameSet),
    /// Width and height.
    Size(Size),
    /// A file format.
    Format(&'static FormatFacts),
    /// Channels of a pixel.
    Channels(Channels),
    /// Bits of a channel.
    Bits(Bits),
    /// Settings by name.
    Settings(Vec<(String, Word)>),
    /// A command line.
    Run(Vec<(Template, Word)>),
    /// A length of time.
    Duration(Duration),
    /// A part: numerator and denominator, both above zero.
    Scale(u32, u32),
    /// True or false.
    Truth(bool),
    /// Which of the frames.
    Only(Only),
    /// Handed back to the scene by `unset`.
    Unset,
}

/// Which frames of a shot are rendered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Only {
    /// Every frame.
    All,
    /// The first, the middle and the last.
    Ends,
}

impl PartialEq for FormatFacts {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

/// Reads a value; `sizes` are the project's own.
///
/// # Errors
/// One finding for each thing that is wrong with it.
pub(super) fn read(
    facts: &KeyFacts,
    node: &Node,
    sizes: &[(String, Size)],
) -> Result<Value, Vec<Finding>> {
    let wrong_kind = || {
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
    };
    let text = || match &node.kind {
        NodeKind::Text(text) => Ok(text.clone()),
        _ => Err(wrong_kind()),
    };
    let scalar = || node.scalar().ok_or_else(wrong_kind);
    let refuse = |text: &str, advice: String| {
        vec![
            Finding::error(
                "TP004",
                format!("`{text}` is no value for `{}`", facts.name),
            )
            .at(&node.place, "")
            .advise(advice),
        ]
    };
    match facts.kind {
        Kind::Text => Ok(Value::Text(text()?)),
        Kind::Component => Ok(Value::Words(vec![component(facts, node)?])),
        Kind::Components => match &node.kind {
            NodeKind::List(items) => items
                .iter()
                .map(|item| component(facts, item))
                .collect::<Result<_, _>>()
                .map(Value::Words),
            _ => Err(wrong_kind()),
        },
        Kind::Number => match node.kind {
            NodeKind::Integer(number @ 0..) => Ok(Value::Number(number)),
            NodeKind::Integer(number) => Err(refuse(
                &number.to_string(),
                "it takes a number from 0".to_owned(),
            )),
            _ => Err(wrong_kind()),
        },
        Kind::Rate => match node.kind {
            NodeKind::Integer(number) if number > 0 => Ok(Value::Text(number.to_string())),
            NodeKind::Float(number) if number > 0.0 && number.is_finite() => {
                Ok(Value::Text(number.to_string()))
            }
            NodeKind::Integer(_) | NodeKind::Float(_) => Err(refuse(
                &node.scalar().unwrap_or_default(),
                "it takes a number above zero".to_owned(),
            )),
            _ => Err(wrong_kind()),
        },
        Kind::Template => {
            template(&text()?, &node.place).map(|(t, length)| Value::Template(t, length))
        }
        Kind::Frames => {
            let text = scalar()?;
            text.parse::<FrameSet>()
                .map(Value::Frames)
                .map_err(|error| {
                    let place = node.place.part(text.len(), error.span.clone());
                    let finding = Finding::error("TP004", error.message).at(&place, "");
                    vec![match error.advice {
                        Some(advice) => finding.advise(advice),
                        None => finding,
                    }]
                })
        }
        Kind::Size => {
            let text = text()?;
            if let Some((_, size)) = sizes.iter().find(|(name, _)| *name == text) {
                return Ok(Value::Size(*size));
            }
            text.parse::<Size>().map(Value::Size).map_err(|_| {
                let own = sizes.iter().map(|(name, _)| name.as_str());
                let names: Vec<&str> = own.chain(NAMED_SIZES.map(|(name, _)| name)).collect();
                refuse(
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
        Kind::Format => {
            let text = text()?;
            format(&text).map(Value::Format).ok_or_else(|| {
                let names = FORMATS.map(|facts| facts.name);
                refuse(&text, advice(&text, &names))
            })
        }
        Kind::Channels => {
            let text = text()?;
            Channels::of_word(&text)
                .map(Value::Channels)
                .ok_or_else(|| refuse(&text, advice(&text, &Channels::ALL.map(Channels::word))))
        }
        Kind::Bits => {
            let text = scalar()?;
            Bits::of_word(&text)
                .map(Value::Bits)
                .ok_or_else(|| refuse(&text, advice(&text, &Bits::ALL.map(Bits::word))))
        }
        Kind::Settings => match &node.kind {
            NodeKind::Table(entries) => entries
                .iter()
                .map(|entry| match entry.value.scalar() {
                    Some(text) if !text.chars().any(char::is_control) => {
                        let place = entry.value.place.clone();
                        Ok((entry.key.clone(), Word { text, place }))
                    }
                    Some(text) => Err(refuse(
                        &text.escape_debug().to_string(),
                        "settings hold no control characters".to_owned(),
                    )),
                    None => Err(vec![
                        Finding::error(
                            "TP003",
                            format!(
                                "the setting `{}` takes a single value, not {}",
                                entry.key,
                                entry.value.kind_word()
                            ),
                        )
                        .at(&entry.value.place, ""),
                    ]),
                })
                .collect::<Result<_, _>>()
                .map(Value::Settings),
            _ => Err(wrong_kind()),
        },
        Kind::Run => match &node.kind {
            NodeKind::List(items) if !items.is_empty() => items
                .iter()
                .map(|item| match &item.kind {
                    NodeKind::Text(text) => template(text, &item.place).map(|(template, _)| {
                        let place = item.place.clone();
                        (
                            template,
                            Word {
                                text: text.clone(),
                                place,
                            },
                        )
                    }),
                    _ => Err(vec![
                        Finding::error(
                            "TP003",
                            format!("each entry of `run` is a text, not {}", item.kind_word()),
                        )
                        .at(&item.place, "")
                        .advise("put it in quotes"),
                    ]),
                })
                .collect::<Result<_, _>>()
                .map(Value::Run),
            NodeKind::Text(_) => Err(wrong_kind()
                .into_iter()
                .map(|finding| {
                    finding.advise(
                        "each argument is an entry of its own; no shell takes the line apart",
                    )
                })
                .collect()),
            _ => Err(wrong_kind()),
        },
        Kind::Scale => {
            let text = scalar()?;
            scale(&text)
                .map(|(part, whole)| Value::Scale(part, whole))
                .ok_or_else(|| refuse(&text, "it takes `10%`, `1/8` or `0.125`".to_owned()))
        }
        Kind::Truth => match node.kind {
            NodeKind::Boolean(truth) => Ok(Value::Truth(truth)),
            _ => Err(wrong_kind()),
        },
        Kind::Signed => match node.kind {
            NodeKind::Integer(number) => Ok(Value::Number(number)),
            _ => Err(wrong_kind()),
        },
        Kind::Only => {
            let text = text()?;
            match text.as_str() {
                "all" => Ok(Value::Only(Only::All)),
                "ends" => Ok(Value::Only(Only::Ends)),
                _ => Err(refuse(&text, advice(&text, &["all", "ends"]))),
            }
        }
        // The reader of tables takes it apart into the keys.
        Kind::Keys => Ok(Value::Unset),
        Kind::Duration => {
            let text = scalar()?;
            duration(&text).map(Value::Duration).ok_or_else(|| {
                refuse(
                    &text,
                    "it takes a time such as `90s`, `5m` or `2h`".to_owned(),
                )
            })
        }
    }
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

/// `10%`, `1/8` or `0.125`, as a fraction in whole numbers.
fn scale(text: &str) -> Option<(u32, u32)> {
    let decimal = |text: &str, unit: u32| -> Option<(u32, u32)> {
        let (whole, part) = text.split_once('.').unwrap_or((text, ""));
        if part.len() > 6
            || !(whole.to_owned() + part)
                .bytes()
                .all(|byte| byte.is_ascii_digit())
        {
            return None;
        }
        let denominator = 10_u32.pow(u32::try_from(part.len()).ok()?);
        let numerator = format!("{whole}{part}").parse().ok()?;
        Some((numerator, denominator.checked_mul(unit)?))
    };
    let (part, whole) = if let Some(percent) = text.strip_suffix('%') {
        decimal(percent.trim(), 100)?
    } else if let Some((part, whole)) = text.split_once('/') {
        (part.trim().parse().ok()?, whole.trim().parse().ok()?)
    } else {
        decimal(text, 1)?
    };
    (part > 0 && whole > 0).then_some((part, whole))
}

fn duration(text: &str) -> Option<Duration> {
    let unit = text.find(|c: char| !c.is_ascii_digit() && c != '.')?;
    let number: f64 = text[..unit].parse().ok()?;
    let seconds = match &text[unit..] {
        "s" => 1.0,
        "m" => 60.0,
        "h" => 3600.0,
        _ => return None,
    };
    Duration::try_from_secs_f64(number * seconds)
        .ok()
        .filter(|length| !length.is_zero())
}
