//! The version, said or read from the scene's name.

use super::expand::Expander;
use super::resolve::template;
use super::values::token;
use super::{Common, ProblemKind};
use crate::job::{Key, Value};
use crate::layers::Chain;
use crate::template::{Candidates, TokenValue, readings};

impl<'j> Expander<'j> {
    /// Reads the version from the name of the scene, where the job says how; `false` when that
    /// cannot be done, which is told.
    pub(super) fn version_of_scene(
        &mut self,
        chain: &Chain<'j>,
        common: &mut Common,
        count: u64,
    ) -> bool {
        let Some(setting) = chain.get(Key::Version) else {
            return true;
        };
        let (Value::Template(..), Some(path)) = (&setting.value.value, template(setting)) else {
            return true;
        };
        let place = path.place.clone();
        let Some(scene) = &common.scene else {
            self.problem(ProblemKind::Unset(Key::Scene), place, count);
            return false;
        };
        let name = scene
            .path
            .rsplit('/')
            .next()
            .unwrap_or(&scene.path)
            .to_owned();
        let candidates = |asked: &str| match token(asked, common, None, None, None, &[]) {
            _ if asked == "version" => Candidates::Number,
            TokenValue::Text(text) if asked != "scene" => Candidates::Known(vec![text]),
            TokenValue::Number(_) => Candidates::Number,
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
                        common.version = Some(version);
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
        self.problem(ProblemKind::VersionNotRead { name, reason }, place, count);
        false
    }
}
