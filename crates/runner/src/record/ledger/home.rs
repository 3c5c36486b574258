//! Paths below the job's folder, as ledgers have them: a project that is copied, renamed or mounted
//! elsewhere keeps its records, and its ledgers speak of its own files and never of the original's.

use std::borrow::Cow;
use std::path::Path;

/// What stands for the job's folder at the beginning of a path in a ledger.
const JOB: &str = "{place.job}/";

/// The folder that paths in a ledger are relative to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Home {
    /// With a slash at its end; empty where paths are written as they are.
    folder: String,
    /// The beginning of a JSON text with such a path.
    quoted: String,
}

/// The beginning of a JSON text with a path below the job's folder.
const QUOTED_JOB: &str = "\"{place.job}/";

impl Home {
    /// The one of the ledgers in a folder: `STATE/ledger`, where the state is in the job's folder.
    pub(super) fn of_ledgers(ledgers: &Path) -> Self {
        let job = ledgers.parent().and_then(Path::parent);
        match job.and_then(Path::to_str) {
            // Of the root every path is below.
            None | Some("" | "/") => Self::default(),
            Some(job) => {
                let folder = format!("{job}/");
                let mut quoted = serde_json::Value::from(folder.as_str()).to_string();
                quoted.pop();
                Self { folder, quoted }
            }
        }
    }

    /// A line of JSON as it is written.
    pub(super) fn shortened(&self, line: String) -> String {
        if !self.quoted.is_empty() && line.contains(&self.quoted) {
            line.replace(&self.quoted, QUOTED_JOB)
        } else {
            line
        }
    }

    /// A line of JSON with the paths that it means.
    pub(super) fn whole_line<'l>(&self, line: &'l str) -> Cow<'l, str> {
        if !self.quoted.is_empty() && line.contains(QUOTED_JOB) {
            Cow::Owned(line.replace(QUOTED_JOB, &self.quoted))
        } else {
            Cow::Borrowed(line)
        }
    }

    /// Whether a folder, as a ledger has it, is this one.
    pub(super) fn is(&self, written: &str, folder: &str) -> bool {
        match self.below(written) {
            Some((job, "")) => job.strip_suffix('/') == Some(folder),
            Some((job, rest)) => folder.strip_prefix(job) == Some(rest),
            None => written == folder,
        }
    }

    /// The folder that a ledger means.
    pub(super) fn whole<'f>(&self, written: &'f str) -> Cow<'f, str> {
        match self.below(written) {
            Some((job, "")) => Cow::Owned(job.trim_end_matches('/').to_owned()),
            Some((job, rest)) => Cow::Owned([job, rest].concat()),
            None => Cow::Borrowed(written),
        }
    }

    fn below<'f>(&self, written: &'f str) -> Option<(&str, &'f str)> {
        if self.folder.is_empty() {
            return None;
        }
        if written == JOB.trim_end_matches('/') {
            return Some((&self.folder, ""));
        }
        Some((&self.folder, written.strip_prefix(JOB)?))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_means_the_same_in_another_place() {
        let (one, other) = (
            Home::of_ledgers(Path::new("/shows/or\"rery/.truepath/ledger")),
            Home::of_ledgers(Path::new("/copies/orrery/.truepath/ledger")),
        );
        let line = r#"{"path":"/shows/or\"rery/renders/a.png","to":"/shows/or\"rery2/a.png"}"#;
        let written = one.shortened(line.to_owned());
        assert_eq!(
            written,
            r#"{"path":"{place.job}/renders/a.png","to":"/shows/or\"rery2/a.png"}"#
        );
        assert_eq!(one.whole_line(&written), line);
        assert_eq!(
            other.whole_line(&written),
            r#"{"path":"/copies/orrery/renders/a.png","to":"/shows/or\"rery2/a.png"}"#
        );
        for (written, folder) in [
            ("{place.job}/renders", "/copies/orrery/renders"),
            ("{place.job}", "/copies/orrery"),
            ("/elsewhere", "/elsewhere"),
        ] {
            assert_eq!(other.whole(written), folder);
            assert!(other.is(written, folder));
        }
    }
}
