//! The version, set or read from the scene's name.

use super::values::KnownValues;
use super::{Common, Expansion, PathTemplate, ProblemKind};
use crate::job::{Key, Value};
use crate::precedence::Chain;
use crate::template::{Candidates, TokenValue, readings};
use crate::token::Token;

/// Reads the version from the name of the scene, where the job says how; `false` when that
/// cannot be done, which is reported.
pub(super) fn version_of_scene(
    chain: &Chain<'_>,
    common: &mut Common,
    count: u64,
    expansion: &mut Expansion,
) -> bool {
    let Some(setting) = chain.setting(Key::Version) else {
        return true;
    };
    let (Value::Template(..), Some(path)) =
        (&setting.value.value, PathTemplate::of_setting(setting))
    else {
        return true;
    };
    let place = path.place.clone();
    let Some(scene) = &common.scene else {
        expansion.report(ProblemKind::Unset(Key::Scene), place, count);
        return false;
    };
    let name = scene
        .path
        .rsplit('/')
        .next()
        .unwrap_or(&scene.path)
        .to_owned();
    let known = KnownValues::of(common);
    let candidates = |asked: &str| match (Token::read(asked), known.token(asked)) {
        (Some((Token::Version, _)), _) => Candidates::Number,
        (Some((Token::Scene, _)), _) => Candidates::Text,
        (_, TokenValue::Text(text)) => Candidates::Known([text].into()),
        (_, TokenValue::Number(_)) => Candidates::Number,
        _ => Candidates::Text,
    };
    let found = readings(&path.template, &name, &candidates);
    let reason = match found {
        Ok(found) => {
            let mut versions: Vec<i64> = found
                .iter()
                .flatten()
                .filter(|(known, _)| known == "version")
                .filter_map(|(_, version)| version.parse().ok())
                .collect();
            versions.sort_unstable();
            versions.dedup();
            match versions[..] {
                [version] => {
                    common.names.version = Some(version);
                    return true;
                }
                _ => "it can be read in several ways".to_owned(),
            }
        }
        Err(departure) => format!(
            "`{}` should be {}",
            name.get(departure.at..).unwrap_or_default(),
            departure.expected.join(" or ")
        ),
    };
    expansion.report(ProblemKind::VersionNotRead { name, reason }, place, count);
    false
}
