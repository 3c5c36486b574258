//! The text of a job for a bundle: its part, its places below it, its preset.

use toml_edit::{DocumentMut, Item, Table, value};

use crate::frames::FrameSet;

/// What a bundle changes in the text of a job.
#[derive(Debug, Clone, Default)]
pub struct BundledJob {
    /// Whether the job is in the short form.
    pub is_short: bool,
    /// Frames by the labels of their deliverables.
    pub part: Vec<(String, FrameSet)>,
    /// The places, each with its folder below the bundle.
    pub places: Vec<(String, String)>,
    /// The preset.
    pub preset: Option<String>,
    /// Whether the job names a state folder of its own.
    pub has_state: bool,
}

impl BundledJob {
    /// The text of the job with these changes; comments and all else stay.
    ///
    /// # Errors
    /// When the text is no TOML, as a sentence.
    pub fn apply(&self, text: &str) -> Result<String, String> {
        let mut document = text
            .parse::<DocumentMut>()
            .map_err(|error| error.to_string())?;
        let mut project = |key: &str, text: &str| {
            if self.is_short {
                document.insert(key, value(text));
            } else {
                let table = document
                    .entry("project")
                    .or_insert(Item::Table(Table::new()));
                if let Some(table) = table.as_table_like_mut() {
                    table.insert(key, value(text));
                }
            }
        };
        if let Some(preset) = &self.preset {
            project("preset", preset);
        }
        if self.has_state {
            project("state", ".truepath");
        }
        for (name, folder) in &self.places {
            let table = document.entry("place").or_insert(Item::Table(Table::new()));
            if let Some(table) = table.as_table_like_mut() {
                table.insert(name, value(folder.as_str()));
            }
        }
        let mut part = Table::new();
        for (label, frames) in &self.part {
            part.insert(label, value(frames.to_string()));
        }
        part.decor_mut()
            .set_prefix("\n# What this bundle makes of the job.\n");
        document.insert("part", Item::Table(part));
        Ok(document.to_string())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::job::{no_files, read};

    #[test]
    fn both_forms_are_cut_and_can_be_read() {
        let part = vec![("a · frames".to_owned(), "1-8".parse().unwrap())];
        for (text, is_short) in [
            (
                "# mine\nscene = \"a.toml\"\nframes = \"1-20\"\nengine = \"understudy\"\npath = \"{place.out}/{shot}.{frame:04}.png\"\n[place]\nout = \"/srv/out\"\n",
                true,
            ),
            (
                "# mine\n[project]\nengine = \"understudy\" # own\n[shot.a]\nscene = \"a.toml\"\nframes = \"1-20\"\n[output.frames]\npath = \"{shot}.{frame:04}.png\"\n",
                false,
            ),
        ] {
            let bundled = BundledJob {
                is_short,
                part: part.clone(),
                places: vec![("out".to_owned(), "places/out".to_owned())],
                preset: (!is_short).then(|| "trial".to_owned()),
                has_state: true,
            };
            let cut = bundled.apply(text).unwrap();
            assert!(cut.contains("# mine"), "{cut}");
            let reading = read("truepath.toml", &cut, &[], &mut no_files);
            assert!(reading.is_sound(), "{cut}\n{:?}", reading.findings);
            assert_eq!(reading.job.part.unwrap(), part);
        }
    }
}
