//! Where a job keeps its ledgers, claims, logs and checkpoints.

use std::path::PathBuf;

use truepath_core::job::{Key, Value};
use truepath_core::template::{TokenValue, expand};

use crate::Loaded;

impl Loaded {
    /// The state folder: `state` of the job file, or `.truepath` beside it.
    #[must_use]
    pub fn state_folder(&self) -> PathBuf {
        let setting = self.job.setting(Key::State);
        if let Some(setting) = setting
            && let Value::Template(template, _) = &setting.value.value
        {
            let value = |name: &str| match name.strip_prefix("place.") {
                None => TokenValue::Unknown,
                Some("job") => TokenValue::Path(self.surroundings.job_folder.clone()),
                Some(name) => self
                    .job
                    .places
                    .iter()
                    .find(|place| place.name == name)
                    .and_then(|place| place.folder(self.surroundings.system))
                    .map_or(TokenValue::Unknown, |folder| {
                        TokenValue::Path(folder.value.clone())
                    }),
            };
            if let Ok(pattern) = expand(template, &value) {
                return self.folder.join(pattern.path(0));
            }
        }
        self.folder.join(".truepath")
    }
}
