//! Texts: words, components of paths, templates, frames.

use serde_json::json;

use super::{CellNotation, Given, KeyKind, PLAIN};
use crate::finding::Finding;
use crate::frames::FrameSet;
use crate::job::value::{PathTemplate, Value};
use crate::source::Place;
use crate::template::Template;
use crate::toml_tree::NodeKind;

/// Any text.
pub(crate) const TEXT: KeyKind = KeyKind {
    shape: "a text such as \"zip\"",
    ..PLAIN
};

/// A text that is one component of a path.
pub(crate) const COMPONENT: KeyKind = KeyKind {
    shape: "a text such as \"dome\"",
    schema: |_| json!({ "type": "string", "minLength": 1, "pattern": r"^[^/\\]+$" }),
    read: |given| Ok(Value::Words(vec![given.component()?])),
    ..PLAIN
};

/// A list of such texts.
pub(crate) const COMPONENTS: KeyKind = KeyKind {
    shape: "a list of texts such as [\"beauty\", \"depth\"]",
    cell: CellNotation::List,
    schema: |_| json!({ "type": "array", "items": (COMPONENT.schema)(&COMPONENT) }),
    read: |given| given.components().map(Value::Words),
    ..PLAIN
};

/// A path with tokens.
pub const TEMPLATE: KeyKind = KeyKind {
    shape: "a path such as \"renders/{shot}.{frame:04}.png\"",
    schema: |_| json!({ "type": "string", "minLength": 1 }),
    read: |given| {
        let (template, length) = template(&given.text()?, &given.node.place)?;
        Ok(Value::Template(template, length))
    },
    ..PLAIN
};

/// A list of paths with tokens.
pub(crate) const TEMPLATES: KeyKind = KeyKind {
    shape: "a list of paths such as [\"textures\", \"{place.scenes}/brass.inc\"]",
    cell: CellNotation::List,
    schema: |_| json!({ "type": "array", "items": (TEMPLATE.schema)(&TEMPLATE) }),
    read: |given| {
        let NodeKind::List(items) = &given.node.kind else {
            return Err(given.wrong_kind());
        };
        let path = |item| {
            let own = given.with(item);
            let (template, length) = template(&own.text()?, &own.node.place)?;
            Ok(PathTemplate {
                template,
                length,
                place: own.node.place.clone(),
            })
        };
        items
            .iter()
            .map(path)
            .collect::<Result<_, _>>()
            .map(Value::Templates)
    },
    ..PLAIN
};

/// A number, or a template that finds it in the scene's name.
pub const VERSION: KeyKind = KeyKind {
    shape: "a whole number such as 3, or a template such as \"{shot}_v{version:03}.toml\"",
    cell: CellNotation::Value,
    schema: |_| {
        json!({ "anyOf": [
            { "type": "integer", "minimum": 0 },
            { "type": "string", "pattern": r"\{version" },
        ] })
    },
    read: |given| match &given.node.kind {
        NodeKind::Text(text) => version_template(given, text),
        NodeKind::Integer(number @ 0..) => Ok(Value::Number(*number)),
        _ => Err(given.wrong_kind()),
    },
    ..PLAIN
};

/// A set of frames.
pub const FRAMES: KeyKind = KeyKind {
    shape: "frames such as \"1-96\", \"1-96/4\" or \"1-10,20\"",
    schema: |_| {
        json!({ "anyOf": [
            { "type": "integer" },
            { "type": "string", "pattern": "^[-0-9]" },
        ] })
    },
    read: |given| {
        let text = given.scalar()?;
        text.parse::<FrameSet>()
            .map(Value::Frames)
            .map_err(|error| {
                let place = given.node.place.part(text.len(), error.span.clone());
                let finding = Finding::error("TP004", error.message).at(&place, "");
                vec![match error.advice {
                    Some(advice) => finding.advise(advice),
                    None => finding,
                }]
            })
    },
    ..PLAIN
};

/// A template for the scene's file name, which must say where the version stands.
fn version_template(given: Given<'_>, text: &str) -> Result<Value, Vec<Finding>> {
    let (found, length) = template(text, &given.node.place)?;
    if !found.has("version") {
        return Err(given.refuse(
            text,
            "it takes a number, or a template with `{version}` such as \"{shot}_v{version:03}.toml\"",
        ));
    }
    Ok(Value::Template(found, length))
}

/// Reads a template whose text stands at a place.
pub(super) fn template(text: &str, place: &Place) -> Result<(Template, usize), Vec<Finding>> {
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
