//! Keeps paths inside the places that they start from.

use std::sync::Arc;

use crate::template::{Part, PathPattern, Piece, Template, TokenValue};

/// The folder that the paths may not leave, and the pattern made absolute: paths that name no place
/// start at the job's folder, and a subfolder of their own lies below the place.
pub(super) fn root_and_pattern(
    template: &Template,
    pattern: PathPattern,
    value: &dyn Fn(&str) -> TokenValue,
    job_folder: &str,
    subfolder: Option<&str>,
) -> Result<(Arc<str>, PathPattern), String> {
    let first = match template.parts().first() {
        Some(Part::Token(token)) if token.name.starts_with("place.") => match value(&token.name) {
            TokenValue::Path(folder) => Some(folder),
            _ => None,
        },
        _ => None,
    };
    let (root, pattern) = match first {
        Some(folder) => (folder, pattern),
        None => {
            if let Some(Piece::Text(text)) = pattern.pieces().first()
                && is_absolute(text)
            {
                return Err(format!(
                    "it starts at `{}` and not at a place",
                    text.split_inclusive('/').take(2).collect::<String>()
                ));
            }
            let pattern = pattern.behind(&format!("{job_folder}/"));
            (job_folder.to_owned(), pattern)
        }
    };
    let mut below = String::new();
    for piece in pattern.pieces() {
        below.push_str(match piece {
            Piece::Text(text) => text,
            Piece::Frame(_) => "0",
        });
    }
    let below = below.get(root.len()..).unwrap_or_default();
    if !below.starts_with('/') && root != "/" {
        return Err("there is no separator behind the place".to_owned());
    }
    for component in below.trim_start_matches('/').split('/') {
        match component {
            ".." => return Err("`..` leads out of the place".to_owned()),
            "" => return Err("a folder or file in it has no name".to_owned()),
            "." => return Err("`.` is no name of a folder".to_owned()),
            _ => {}
        }
    }
    Ok(match subfolder {
        None => (root.into(), pattern),
        Some(subfolder) => {
            let pattern = below_root(&pattern, &root, subfolder);
            (format!("{root}/{subfolder}").into(), pattern)
        }
    })
}

/// The pattern with a folder of its own directly below its root.
fn below_root(pattern: &PathPattern, root: &str, subfolder: &str) -> PathPattern {
    let mut pieces = pattern.pieces().to_vec();
    if let Some(Piece::Text(text)) = pieces.first_mut() {
        let rest = text.strip_prefix(root).unwrap_or(text);
        *text = format!("{root}/{subfolder}{rest}").into();
    }
    PathPattern::new(pieces)
}

fn is_absolute(path: &str) -> bool {
    let bytes = path.as_bytes();
    path.starts_with(['/', '\\'])
        || (bytes.len() > 1 && bytes[0].is_ascii_alphabetic() && bytes[1] == b':')
}

/// A path made absolute from a folder, `.` and `..` resolved by their letters.
#[must_use]
pub fn absolute(folder: &str, path: &str) -> String {
    let whole = if is_absolute(path) {
        path.to_owned()
    } else {
        format!("{folder}/{path}")
    };
    let mut components: Vec<&str> = Vec::new();
    for component in whole.split('/') {
        match component {
            "" | "." => {}
            ".." => {
                components.pop();
            }
            other => components.push(other),
        }
    }
    if is_absolute(&whole) && !whole.starts_with('/') {
        components.join("/")
    } else {
        format!("/{}", components.join("/"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn value(name: &str) -> TokenValue {
        match name {
            "place.renders" => TokenValue::Path("/srv/renders".to_owned()),
            "shot" => TokenValue::Text("dawn".to_owned()),
            "frame" => TokenValue::Frame,
            _ => TokenValue::Unknown,
        }
    }

    fn path(text: &str) -> Result<String, String> {
        let template: Template = text.parse().unwrap();
        let pattern = crate::template::expand(&template, &value).unwrap();
        root_and_pattern(&template, pattern, &value, "/work/show", None)
            .map(|(root, pattern)| format!("{root} | {}", pattern.sketch()))
    }

    #[test]
    fn paths_start_at_a_place_or_beside_the_job() {
        assert_eq!(
            path("{place.renders}/{shot}.{frame}.png").unwrap(),
            "/srv/renders | /srv/renders/dawn.{frame}.png"
        );
        assert_eq!(
            path("out/{shot}.{frame:04}.png").unwrap(),
            "/work/show | /work/show/out/dawn.{frame:04}.png"
        );
        assert_eq!(
            path("{shot}/{frame}").unwrap(),
            "/work/show | /work/show/dawn/{frame}"
        );
    }

    #[test]
    fn no_path_leaves_its_place() {
        for (text, part) in [
            ("/etc/{shot}.png", "starts at `/etc/`"),
            ("C:/{shot}.png", "starts at `C:/"),
            ("../{shot}.png", "`..`"),
            ("{place.renders}/a/../../{shot}.png", "`..`"),
            ("{place.renders}{shot}.png", "separator"),
            ("{place.renders}/a//{shot}.png", "no name"),
            ("a/./{shot}.png", "`.`"),
            ("out/", "no name"),
        ] {
            let reason = path(text).unwrap_err();
            assert!(reason.contains(part), "{text}: {reason}");
        }
    }

    #[test]
    fn folders_are_resolved_by_their_letters() {
        for (written, resolved) in [
            ("renders", "/work/show/renders"),
            ("../renders/./x", "/work/renders/x"),
            ("/srv//renders/", "/srv/renders"),
            ("../../../..", "/"),
            ("R:/renders", "R:/renders"),
        ] {
            assert_eq!(absolute("/work/show", written), resolved);
        }
    }
}
