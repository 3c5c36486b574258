//! Numbers, lengths of time, sizes, parts, true and false.

use serde_json::json;

use super::notation::{bit_rate, byte_count, duration, ratio, share, weights};
use super::{CellNotation, Given, KeyKind, PLAIN};
use crate::finding::Finding;
use crate::job::value::Value;
use crate::movie::Fps;
use crate::nearest::nearest;
use crate::picture::{NAMED_SIZES, Region, Size};
use crate::toml_tree::NodeKind;

/// A whole number from 0.
pub const NUMBER: KeyKind = KeyKind {
    shape: "a whole number such as 3",
    cell: CellNotation::Value,
    schema: |_| json!({ "type": "integer", "minimum": 0 }),
    read: |given| whole(given, 0..=i64::MAX, "it takes a number from 0"),
    ..PLAIN
};

/// Frames of a slate.
pub(crate) const SLATE: KeyKind = KeyKind {
    shape: "a number of frames such as 24",
    schema: |_| json!({ "type": "integer", "minimum": 1, "maximum": 10_000 }),
    read: |given| {
        whole(
            given,
            1..=10_000,
            "it takes a number of frames from 1 to 10000",
        )
    },
    ..NUMBER
};

/// How `auto` is held among numbers of processes.
pub(in crate::job) const AUTO: i64 = -1;

/// How many processes run at once.
pub(crate) const PROCESSES: KeyKind = KeyKind {
    shape: "a whole number such as 3, or \"auto\"",
    cell: CellNotation::Value,
    schema: |_| json!({ "anyOf": [{ "type": "integer", "minimum": 1 }, { "const": "auto" }] }),
    read: |given| match &given.node.kind {
        NodeKind::Text(text) if text == "auto" => Ok(Value::Number(AUTO)),
        NodeKind::Text(text) => Err(given.refuse(text, "it takes a number from 1, or `auto`")),
        _ => whole(given, 1..=i64::MAX, "it takes a number from 1, or `auto`"),
    },
    ..PLAIN
};

/// Bytes of memory.
pub(crate) const MEMORY: KeyKind = KeyKind {
    shape: "a size such as \"48GB\" or \"512MB\"",
    schema: |_| json!({ "type": "string", "pattern": "^[0-9.]+ ?[kMGT]B$" }),
    read: |given| {
        given.parsed("it takes a size such as `48GB` or `512MB`", |text| {
            byte_count(text).map(Value::Number)
        })
    },
    ..PLAIN
};

/// A whole number, below zero too.
pub(crate) const INTEGER: KeyKind = KeyKind {
    shape: "a whole number such as 10 or -1",
    cell: CellNotation::Value,
    schema: |_| json!({ "type": "integer" }),
    read: |given| whole(given, i64::MIN..=i64::MAX, ""),
    ..PLAIN
};

/// From 1 to 100.
pub(crate) const QUALITY: KeyKind = KeyKind {
    shape: "a whole number from 1 to 100",
    cell: CellNotation::Value,
    schema: |_| json!({ "type": "integer", "minimum": 1, "maximum": 100 }),
    read: |given| whole(given, 1..=100, "it takes a number from 1 to 100"),
    ..PLAIN
};

/// Frames per second.
pub(crate) const FPS: KeyKind = KeyKind {
    shape: "a number such as 30 or 23.976",
    cell: CellNotation::Value,
    schema: |_| json!({ "type": "number", "exclusiveMinimum": 0 }),
    read: |given| match given.node.kind {
        NodeKind::Integer(_) | NodeKind::Float(_) => given
            .parsed("it takes a number above zero", |text| {
                text.parse::<Fps>().ok().map(Value::Fps)
            }),
        _ => Err(given.wrong_kind()),
    },
    ..PLAIN
};

/// True or false.
pub(crate) const TRUTH: KeyKind = KeyKind {
    shape: "true or false",
    cell: CellNotation::Value,
    schema: |_| json!({ "type": "boolean" }),
    read: |given| match given.node.kind {
        NodeKind::Boolean(truth) => Ok(Value::Truth(truth)),
        _ => Err(given.wrong_kind()),
    },
    ..PLAIN
};

/// Width and height.
pub const SIZE: KeyKind = KeyKind {
    shape: "a size such as \"1920x1080\" or \"hd\"",
    // Names of the project's own are allowed too.
    schema: |_| json!({ "type": "string", "minLength": 1, "examples": ["1920x1080", "hd"] }),
    read: |given| size(given).map(Value::Size),
    ..PLAIN
};

/// A part of a size.
pub(crate) const SCALE: KeyKind = KeyKind {
    shape: "a part such as \"1/8\", \"10%\" or 0.125",
    schema: |_| {
        json!({ "anyOf": [
            { "type": "number", "exclusiveMinimum": 0 },
            { "type": "string", "pattern": r"^[0-9.]+(%|/[0-9]+)?$" },
        ] })
    },
    read: |given| {
        given.parsed(
            "it takes `10%`, `1/8` or `0.125`; more than the whole is written with a percent sign, `200%`",
            |text| {
                let part = ratio(text)?;
                let is_meant = text.contains('%') || part.decimal() <= 1.0;
                is_meant.then_some(Value::Ratio(part))
            },
        )
    },
    ..PLAIN
};

/// Width of a pixel by its height.
pub(crate) const ASPECT: KeyKind = KeyKind {
    shape: "a number such as 2, 1.5 or \"64/45\"",
    read: |given| {
        given.parsed("it takes `2`, `1.5` or `64/45`", |text| {
            ratio(text).map(Value::Ratio)
        })
    },
    ..SCALE
};

/// A part of a picture.
pub(crate) const REGION: KeyKind = KeyKind {
    shape: "a part such as \"640x360 at 100,50\"",
    schema: |_| json!({ "type": "string", "pattern": "^.+ at [0-9]+, ?[0-9]+$" }),
    read: |given| {
        given.parsed("it takes a part such as `640x360 at 100,50`", |text| {
            text.parse::<Region>().ok().map(Value::Region)
        })
    },
    ..PLAIN
};

/// Bits per second.
pub(crate) const BIT_RATE: KeyKind = KeyKind {
    shape: "bits per second such as \"20M\" or \"800k\"",
    schema: |_| json!({ "type": "string", "pattern": "^[0-9.]+[kM]$" }),
    read: |given| {
        given.parsed("it takes `20M` or `800k`", |text| {
            bit_rate(text).map(Value::Number)
        })
    },
    ..PLAIN
};

/// A length of time.
pub(crate) const DURATION: KeyKind = KeyKind {
    shape: "a time such as \"90s\", \"5m\" or \"2h\"",
    schema: |_| json!({ "type": "string", "pattern": "^[0-9.]+[smh]$" }),
    read: |given| {
        given.parsed("it takes a time such as `90s`, `5m` or `2h`", |text| {
            duration(text).map(Value::Duration)
        })
    },
    ..PLAIN
};

/// A length of time in milliseconds that may be negative.
pub(crate) const OFFSET: KeyKind = KeyKind {
    shape: "a time such as \"0.5s\" or \"-2s\"",
    schema: |_| json!({ "type": "string", "pattern": "^-?[0-9.]+[smh]$" }),
    read: |given| {
        given.parsed("it takes a time such as `0.5s` or `-2s`", |text| {
            milliseconds(text).map(Value::Number)
        })
    },
    ..PLAIN
};

/// The milliseconds of a time that may be negative.
pub(super) fn milliseconds(text: &str) -> Option<i64> {
    let (sign, text) = match text.strip_prefix('-') {
        Some(text) => (-1, text),
        None => (1, text),
    };
    let milliseconds = i64::try_from(duration(text)?.as_millis()).ok()?;
    Some(sign * milliseconds)
}

/// One of several parts of the work.
pub(crate) const SHARE: KeyKind = KeyKind {
    shape: "a part such as \"2/4\"",
    schema: |_| json!({ "type": "string", "pattern": "^[0-9]+ */ *[0-9]+$" }),
    read: |given| {
        given.parsed(
            "it takes a part such as `2/4`, the second of four",
            |text| share(text).map(|(part, of)| Value::Share(part, of)),
        )
    },
    ..PLAIN
};

/// Whole numbers above zero.
pub const WEIGHTS: KeyKind = KeyKind {
    shape: "numbers such as \"8,8,16,4\"",
    schema: |_| {
        json!({ "anyOf": [
            { "type": "integer", "minimum": 1 },
            { "type": "string", "pattern": "^[0-9]+( *, *[0-9]+)*$" },
        ] })
    },
    read: |given| {
        given.parsed("it takes numbers such as `8,8,16,4`", |text| {
            weights(text).map(Value::Weights)
        })
    },
    ..PLAIN
};

fn whole(
    given: Given<'_>,
    range: std::ops::RangeInclusive<i64>,
    advice: &str,
) -> Result<Value, Vec<Finding>> {
    match given.node.kind {
        NodeKind::Integer(number) if range.contains(&number) => Ok(Value::Number(number)),
        NodeKind::Integer(number) => Err(given.refuse(&number.to_string(), advice)),
        _ => Err(given.wrong_kind()),
    }
}

fn size(given: Given<'_>) -> Result<Size, Vec<Finding>> {
    let text = given.text()?;
    if let Some((_, size)) = given.sizes.iter().find(|(name, _)| *name == text) {
        return Ok(*size);
    }
    text.parse::<Size>().map_err(|_| {
        let own = given.sizes.iter().map(|(name, _)| name.as_str());
        let names: Vec<&str> = own.chain(NAMED_SIZES.map(|(name, _)| name)).collect();
        given.refuse(
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
