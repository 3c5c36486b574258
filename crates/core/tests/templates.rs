//! Properties of templates.
#![allow(clippy::unwrap_used, clippy::panic)]

use proptest::prelude::*;
use truepath_core::template::{ExpandError, Part, Template, TokenValue, expand};

fn text() -> impl Strategy<Value = String> {
    "[a-zäé0-9 ._{}/$%'-]{1,8}".prop_map(|text| text.replace('{', "{{").replace('}', "}}"))
}

fn token() -> impl Strategy<Value = String> {
    prop_oneof![
        Just("{shot}".to_owned()),
        Just("{pass:upper}".to_owned()),
        Just("{variant}".to_owned()),
        Just("{version:03}".to_owned()),
        Just("{date:%Y%m%d}".to_owned()),
        (1u8..9).prop_map(|digits| format!("{{frame:0{digits}}}")),
    ]
}

fn template() -> impl Strategy<Value = String> {
    let leaf = prop_oneof![text(), token()];
    let part = leaf.prop_recursive(3, 12, 4, |inner| {
        prop::collection::vec(inner, 1..4).prop_map(|parts| format!("{{?{}}}", parts.concat()))
    });
    prop::collection::vec(part, 0..6).prop_map(|parts| parts.concat())
}

/// Braces side by side mean something else inside an optional part than outside, so only
/// templates that were printed are compared letter by letter.
fn printable(template: &Template) -> bool {
    fn closes_in_text(template: &Template, inside: bool) -> bool {
        template.parts().iter().any(|part| match part {
            Part::Text(text) => inside && text.contains('}'),
            Part::Token(_) => false,
            Part::Optional(inner) => closes_in_text(inner, true),
        })
    }
    !closes_in_text(template, false)
}

proptest! {
    #[test]
    fn what_is_printed_parses_back(text in template()) {
        if let Ok(template) = text.parse::<Template>() {
            prop_assume!(printable(&template));
            let printed = template.to_string();
            let back: Template = printed.parse().unwrap();
            prop_assert_eq!(back.to_string(), printed);
            prop_assert_eq!(back.tokens().len(), template.tokens().len());
        }
    }

    #[test]
    fn any_text_is_read_or_refused(text in "[a-z{}?:04%. é]{0,30}") {
        if let Err(error) = text.parse::<Template>() {
            prop_assert!(text.get(error.span.clone()).is_some(), "{:?} in {:?}", error.span, text);
        }
    }

    #[test]
    fn a_frame_read_back_is_the_frame_written(text in template(), frame in -99_999i64..99_999) {
        let value = |name: &str| match name {
            "frame" => TokenValue::Frame,
            "version" => TokenValue::Number(3),
            "variant" | "date" => TokenValue::Nothing,
            _ => TokenValue::Text("dawn".to_owned()),
        };
        if let Ok(template) = text.parse::<Template>()
            && let Ok(pattern) = expand(&template, &value)
        {
            let path = pattern.path(frame);
            let read = pattern.read(&path);
            prop_assert!(read.is_some(), "{path}");
            // Digits that touch can be cut in several ways; what is read writes the same path.
            if let Some(Some(read)) = read {
                prop_assert_eq!(pattern.path(read), path);
            }
        }
    }
}

fn values(name: &str) -> TokenValue {
    match name {
        "place.renders" => TokenValue::Path("/srv/renders".to_owned()),
        "shot" => TokenValue::Text("dawn".to_owned()),
        "odd" => TokenValue::Text("a/b".to_owned()),
        "version" => TokenValue::Number(3),
        "frame" => TokenValue::Frame,
        "variant" | "pass" => TokenValue::Nothing,
        _ => TokenValue::Unknown,
    }
}

fn sketch(text: &str) -> Result<String, Vec<ExpandError>> {
    expand(&text.parse().unwrap(), &values).map(|pattern| pattern.sketch())
}

#[test]
fn values_are_filled_in_and_optional_parts_dropped() {
    assert_eq!(
        sketch("{place.renders}/{shot:upper}{?_{variant}}_v{version:03}.{frame:04}.png"),
        Ok("/srv/renders/DAWN_v003.{frame:04}.png".to_owned())
    );
    assert_eq!(
        sketch("{?{shot}{?-{variant}}}{{x}}"),
        Ok("dawn{x}".to_owned())
    );
}

#[test]
fn every_mistake_is_reported_at_once() {
    let errors = sketch("{shto}/{pass}/{odd}/{version:upper}/{frame:lower}").unwrap_err();
    assert_eq!(errors.len(), 5);
    assert!(
        matches!(&errors[0], ExpandError::Unknown { name, span } if name == "shto" && *span == (0..6))
    );
    assert!(matches!(&errors[1], ExpandError::NoValue { name, .. } if name == "pass"));
    assert!(errors[2].to_string().contains("separator"));
    assert!(errors[3].to_string().contains("digits such as"));
    assert!(errors[4].to_string().contains("digits such as"));
}

#[test]
fn an_optional_part_does_not_hide_an_unknown_token() {
    assert!(matches!(
        &sketch("{?_{nothing-like-it}}").unwrap_err()[..],
        [ExpandError::Unknown { .. }]
    ));
}
