//! The one table of keys: it drives the reader, the schema and the reference.

mod all;
mod table_kind;

pub use all::KEYS;
pub use table_kind::TableKind;

use super::kinds::KeyKind;

macro_rules! keys {
    ($($key:ident,)*) => {
        /// A key that can be set in the tables of a job.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        #[allow(missing_docs)] // each is described in `KEYS`
        pub enum Key {
            $($key,)*
        }

        impl Key {
            /// All of them.
            pub const ALL: &'static [Self] = &[$(Self::$key,)*];
        }
    };
}

keys! {
    Name,
    Version,
    Fps,
    Scene,
    SceneFiles,
    Frames,
    Camera,
    Passes,
    Path,
    Size,
    Format,
    Channels,
    Bits,
    Compression,
    Settings,
    Engine,
    Run,
    InOrder,
    Split,
    SuccessCodes,
    SamePicture,
    Threads,
    FrameTimeout,
    Env,
    Secret,
    Variants,
    Views,
    Preset,
    Scale,
    Only,
    Subfolder,
    Enabled,
    Priority,
    Unset,
    State,
    Still,
    Layers,
    From,
    ViewsTogether,
    Quality,
    StopAtSamples,
    StopAtTime,
    StopAtGoOn,
    PixelAspect,
    Crop,
    ColorPixels,
    ColorTransfer,
    Audio,
    AudioOffset,
    MoreAudio,
    MovieFrom,
    MoviePass,
    MovieContainer,
    MovieCodec,
    MovieQuality,
    MovieRate,
    MoviePixels,
    MovieAudioCodec,
    MovieDirect,
    MovieEncoder,
    BurnInText,
    BurnInCorner,
    Slate,
    Chunk,
    StartUp,
    FrameTime,
    Order,
    SharePart,
    ShareWeights,
    ShareInterleaved,
    SlurmPartition,
    SlurmTime,
    SlurmMemory,
    SlurmMaxTasks,
    Existing,
    StartTimeout,
    SilenceTimeout,
    Retries,
    RetryPause,
    SceneChanges,
    StopOn,
    Unverifiable,
    DeadAfter,
    CheckpointEvery,
    CheckpointKeep,
    Jobs,
    Memory,
}

/// What there is to know about a key.
#[derive(Debug)]
pub struct KeyFacts {
    /// The key.
    pub key: Key,
    /// How it is written.
    pub name: &'static str,
    /// What it takes.
    pub kind: &'static KeyKind,
    /// Where it may stand, `--set` aside.
    pub tables: &'static [TableKind],
    /// What it is for.
    pub meaning: &'static str,
    /// An example, as a line of TOML.
    pub example: &'static str,
}

impl KeyFacts {
    /// Whether the key may stand in such a table.
    #[must_use]
    pub(crate) fn stands_in(&self, table: TableKind) -> bool {
        table == TableKind::CommandLine || self.tables.contains(&table)
    }
}

/// Whether keys stand in a table of this name: `movie` of `movie.from`.
#[must_use]
pub(crate) fn is_group(name: &str) -> bool {
    KEYS.iter().any(|facts| {
        facts
            .name
            .split_once('.')
            .is_some_and(|(group, _)| group == name)
    })
}

impl Key {
    /// The key of a name.
    #[must_use]
    pub(crate) fn of_name(name: &str) -> Option<Self> {
        let facts = KEYS.iter().find(|facts| facts.name == name)?;
        Some(facts.key)
    }

    /// Its facts; of `camera` and `cameras` the first.
    #[must_use]
    pub fn facts(self) -> &'static KeyFacts {
        KEYS.iter()
            .find(|facts| facts.key == self)
            .unwrap_or(&KEYS[0])
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_example_is_a_line_of_its_key() {
        for facts in &KEYS {
            // `movie.from` and the like stand in a table of their own.
            assert!(facts.example.starts_with(&format!("{} = ", facts.name)));
            assert_eq!(facts.key.facts().key, facts.key);
            assert!(facts.meaning.ends_with('.'));
        }
        for key in Key::ALL {
            assert!(
                KEYS.iter().any(|facts| facts.key == *key),
                "{key:?} has no row"
            );
        }
    }
}
