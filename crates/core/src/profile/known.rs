//! The profiles that a job can name.

use std::sync::{Arc, OnceLock};

use super::{Profile, read_profile};
use crate::source::{SourceKind, Sources};

/// The profiles that a job can name. Those that ship are read when somebody asks for them.
#[derive(Debug, Clone, Default)]
pub struct Profiles {
    entries: Vec<Arc<KnownProfile>>,
}

#[derive(Debug)]
struct KnownProfile {
    name: String,
    /// The text of a profile that ships.
    text: &'static str,
    profile: OnceLock<Option<Arc<Profile>>>,
}

impl KnownProfile {
    fn profile(&self) -> Option<Arc<Profile>> {
        let read = || {
            let sources = &mut Sources::default();
            let file = format!("engines/{}.toml", self.name);
            let profile = read_profile(&file, self.text, SourceKind::BuiltIn, sources);
            // Those that ship are tested to be sound.
            profile.ok().map(Arc::new)
        };
        self.profile.get_or_init(read).clone()
    }
}

impl Profiles {
    /// Adds a profile, unless one of its name is known: the first wins.
    pub fn add(&mut self, profile: Arc<Profile>) {
        if !self.has(&profile.name) {
            self.entries.push(Arc::new(KnownProfile {
                name: profile.name.clone(),
                text: "",
                profile: OnceLock::from(Some(profile)),
            }));
        }
    }

    /// Adds a profile that ships, by its name and its text, unless one of its name is known.
    pub fn add_shipped(&mut self, name: &str, text: &'static str) {
        if !self.has(name) {
            self.entries.push(Arc::new(KnownProfile {
                name: name.to_owned(),
                text,
                profile: OnceLock::new(),
            }));
        }
    }

    fn has(&self, name: &str) -> bool {
        self.entries.iter().any(|entry| entry.name == name)
    }

    /// The profile of a name.
    #[must_use]
    pub fn find(&self, name: &str) -> Option<Arc<Profile>> {
        let entry = self.entries.iter().find(|entry| entry.name == name)?;
        entry.profile()
    }

    /// The names, in the order in which the profiles were added.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.entries.iter().map(|entry| entry.name.as_str())
    }

    /// All of them.
    pub fn all(&self) -> impl Iterator<Item = Arc<Profile>> {
        self.entries.iter().filter_map(|entry| entry.profile())
    }
}

impl FromIterator<Arc<Profile>> for Profiles {
    fn from_iter<I: IntoIterator<Item = Arc<Profile>>>(profiles: I) -> Self {
        let mut all = Self::default();
        profiles.into_iter().for_each(|one| all.add(one));
        all
    }
}
