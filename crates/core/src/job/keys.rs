//! The one table of keys: it drives the reader and the reference.

/// A key that can be set in the layers of a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)] // each is described in `KEYS`
pub enum Key {
    Name,
    Version,
    Fps,
    Scene,
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
    Threads,
    FrameLimit,
    Env,
    Variants,
    Views,
    Preset,
    Scale,
    Only,
    Under,
    Enabled,
    Priority,
    Unset,
    State,
}

/// What kind of value a key takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Any text.
    Text,
    /// A text that is one component of a path.
    Component,
    /// A list of such texts.
    Components,
    /// A whole number from 0.
    Number,
    /// A number above zero, with or without a fraction.
    Rate,
    /// A path with tokens.
    Template,
    /// A set of frames.
    Frames,
    /// Width and height.
    Size,
    /// A file format.
    Format,
    /// Channels of a pixel.
    Channels,
    /// Bits of a channel.
    Bits,
    /// A table of single values.
    Settings,
    /// A command line: a list of texts with tokens.
    Run,
    /// A length of time.
    Duration,
    /// A part of a size.
    Scale,
    /// True or false.
    Truth,
    /// A whole number, below zero too.
    Signed,
    /// `"all"` or `"ends"`.
    Only,
    /// Names of keys.
    Keys,
}

impl Kind {
    /// What a value of this kind looks like, for messages.
    #[must_use]
    pub fn looks_like(self) -> &'static str {
        match self {
            Self::Text => "a text such as \"zip\"",
            Self::Component => "a text such as \"dome\"",
            Self::Components => "a list of texts such as [\"beauty\", \"depth\"]",
            Self::Number => "a whole number such as 3",
            Self::Rate => "a number such as 30 or 23.976",
            Self::Template => "a path such as \"renders/{shot}.{frame:04}.png\"",
            Self::Frames => "frames such as \"1-96\", \"1-96/4\" or \"1-10,20\"",
            Self::Size => "a size such as \"1920x1080\" or \"hd\"",
            Self::Format => "a format such as \"png\" or \"exr\"",
            Self::Channels => "one of \"gray\", \"graya\", \"rgb\", \"rgba\"",
            Self::Bits => "one of 8, 10, 12, 16, \"half\", \"float\"",
            Self::Settings => "a table such as { exposure = -2.0 }",
            Self::Run => "a list such as [\"myrender\", \"--frame\", \"{frame}\", \"{target}\"]",
            Self::Duration => "a time such as \"90s\", \"5m\" or \"2h\"",
            Self::Scale => "a part such as \"1/8\", \"10%\" or 0.125",
            Self::Truth => "true or false",
            Self::Signed => "a whole number such as 10 or -1",
            Self::Only => "\"all\" or \"ends\"",
            Self::Keys => "a list of keys such as [\"camera\", \"size\"]",
        }
    }
}

/// The tables that a key may stand in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TableKind {
    /// `[project]` and the top of a short job file.
    Project,
    /// `[shot.*]`
    Shot,
    /// `[pass.*]`
    Pass,
    /// `[output.*]`
    Output,
    /// `[output.X.pass.Y]`
    OutputPass,
    /// `[variant.*]`
    Variant,
    /// `[view.*]`
    View,
    /// `[shot.X.variant.Y]`
    ShotVariant,
    /// `[shot.X.view.Y]`
    ShotView,
    /// `[preset.*]`
    Preset,
    /// `--set KEY=VALUE`
    CommandLine,
}

impl TableKind {
    /// How the table is written, for messages and the reference.
    #[must_use]
    pub fn title(self) -> &'static str {
        match self {
            Self::Project => "[project]",
            Self::Shot => "[shot.*]",
            Self::Pass => "[pass.*]",
            Self::Output => "[output.*]",
            Self::OutputPass => "[output.*.pass.*]",
            Self::Variant => "[variant.*]",
            Self::View => "[view.*]",
            Self::ShotVariant => "[shot.*.variant.*]",
            Self::ShotView => "[shot.*.view.*]",
            Self::Preset => "[preset.*]",
            Self::CommandLine => "--set",
        }
    }
}

/// What there is to know about a key.
#[derive(Debug)]
pub struct KeyFacts {
    /// The key.
    pub key: Key,
    /// How it is written.
    pub name: &'static str,
    /// What it takes.
    pub kind: Kind,
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
    pub fn stands_in(&self, table: TableKind) -> bool {
        table == TableKind::CommandLine || self.tables.contains(&table)
    }
}

use TableKind::{
    Output, OutputPass, Pass, Preset, Project, Shot, ShotVariant, ShotView, Variant, View,
};

const ANYWHERE: &[TableKind] = &[
    Project,
    Output,
    Pass,
    OutputPass,
    Shot,
    Variant,
    View,
    ShotVariant,
    ShotView,
    Preset,
];
const NOT_BY_PASS: &[TableKind] = &[
    Project,
    Output,
    Shot,
    Variant,
    View,
    ShotVariant,
    ShotView,
    Preset,
];
/// What chooses a layer stands in the layers before it.
const BEFORE_VARIANTS: &[TableKind] = &[Project, Output, Shot];
const BEFORE_VIEWS: &[TableKind] = &[Project, Output, Shot, Variant, ShotVariant];
const BEFORE_PRESETS: &[TableKind] = &[Project, Output, Shot, Variant, View, ShotVariant, ShotView];

/// Every key, in the order of the reference.
pub const KEYS: [KeyFacts; 30] = [
    KeyFacts {
        key: Key::Name,
        name: "name",
        kind: Kind::Component,
        tables: &[Project],
        meaning: "What the project is called: the token `{project}`.",
        example: "name = \"orrery\"",
    },
    KeyFacts {
        key: Key::Version,
        name: "version",
        kind: Kind::Number,
        tables: NOT_BY_PASS,
        meaning: "The version of the work: the token `{version}`.",
        example: "version = 3",
    },
    KeyFacts {
        key: Key::Fps,
        name: "fps",
        kind: Kind::Rate,
        tables: NOT_BY_PASS,
        meaning: "Frames a second: the token `{fps}`.",
        example: "fps = 30",
    },
    KeyFacts {
        key: Key::Scene,
        name: "scene",
        kind: Kind::Template,
        tables: NOT_BY_PASS,
        meaning: "The file that is rendered; may start with a place, else beside the job file.",
        example: "scene = \"{place.scenes}/dawn.toml\"",
    },
    KeyFacts {
        key: Key::Frames,
        name: "frames",
        kind: Kind::Frames,
        tables: NOT_BY_PASS,
        meaning: "The frames that are wanted.",
        example: "frames = \"1-96\"",
    },
    KeyFacts {
        key: Key::Camera,
        name: "camera",
        kind: Kind::Component,
        tables: NOT_BY_PASS,
        meaning: "The camera of the scene; unset, the scene's own.",
        example: "camera = \"dome\"",
    },
    KeyFacts {
        key: Key::Camera,
        name: "cameras",
        kind: Kind::Components,
        tables: NOT_BY_PASS,
        meaning: "Several cameras, each rendered.",
        example: "cameras = [\"dome\", \"north\"]",
    },
    KeyFacts {
        key: Key::Passes,
        name: "passes",
        kind: Kind::Components,
        tables: NOT_BY_PASS,
        meaning: "The picture layers to render, one file each; unset, what the scene gives.",
        example: "passes = [\"beauty\", \"depth\"]",
    },
    KeyFacts {
        key: Key::Path,
        name: "path",
        kind: Kind::Template,
        tables: ANYWHERE,
        meaning: "Where the files go and what they are called.",
        example: "path = \"{place.renders}/{shot}/{pass}/{shot}_{pass}.{frame:04}.{ext}\"",
    },
    KeyFacts {
        key: Key::Size,
        name: "size",
        kind: Kind::Size,
        tables: ANYWHERE,
        meaning: "Width and height in pixels, or a name: hd, uhd, dci-2k, dci-4k. Unset, the scene's own.",
        example: "size = \"2048x2048\"",
    },
    KeyFacts {
        key: Key::Format,
        name: "format",
        kind: Kind::Format,
        tables: ANYWHERE,
        meaning: "The file format; unset, told by the extension of `path`.",
        example: "format = \"exr\"",
    },
    KeyFacts {
        key: Key::Channels,
        name: "channels",
        kind: Kind::Channels,
        tables: ANYWHERE,
        meaning: "The channels of a pixel: gray, graya, rgb, rgba. Unset, what the engine writes.",
        example: "channels = \"rgba\"",
    },
    KeyFacts {
        key: Key::Bits,
        name: "bits",
        kind: Kind::Bits,
        tables: ANYWHERE,
        meaning: "The bits of a channel: 8, 10, 12, 16, half, float. Unset, what the engine writes.",
        example: "bits = \"half\"",
    },
    KeyFacts {
        key: Key::Compression,
        name: "compression",
        kind: Kind::Text,
        tables: ANYWHERE,
        meaning: "How the file is compressed, by format.",
        example: "compression = \"zip\"",
    },
    KeyFacts {
        key: Key::Settings,
        name: "settings",
        kind: Kind::Settings,
        tables: ANYWHERE,
        meaning: "Settings handed to the engine by name; merged key by key over the layers.",
        example: "settings = { exposure = -2.0 }",
    },
    KeyFacts {
        key: Key::Engine,
        name: "engine",
        kind: Kind::Component,
        tables: NOT_BY_PASS,
        meaning: "The profile of the program that renders.",
        example: "engine = \"understudy\"",
    },
    KeyFacts {
        key: Key::Run,
        name: "run",
        kind: Kind::Run,
        tables: NOT_BY_PASS,
        meaning: "The command line of a renderer that has no profile. With `{frame}` it is started once a frame, with `{first}` and `{last}` once a range. How it names its files is found out.",
        example: "run = [\"myrender\", \"--input\", \"{scene.file}\", \"--frame\", \"{frame}\", \"--to\", \"{target}\"]",
    },
    KeyFacts {
        key: Key::Threads,
        name: "threads",
        kind: Kind::Number,
        tables: NOT_BY_PASS,
        meaning: "Threads for one process of the engine; unset, the engine's own choice.",
        example: "threads = 4",
    },
    KeyFacts {
        key: Key::FrameLimit,
        name: "frame-limit",
        kind: Kind::Duration,
        tables: NOT_BY_PASS,
        meaning: "The longest that one frame may take; then the engine is ended and the frame counts as failed.",
        example: "frame-limit = \"20m\"",
    },
    KeyFacts {
        key: Key::Env,
        name: "env",
        kind: Kind::Settings,
        tables: NOT_BY_PASS,
        meaning: "Variables for the engine's environment; merged key by key over the layers.",
        example: "env = { LICENCE_SERVER = \"brass:5050\" }",
    },
    KeyFacts {
        key: Key::Variants,
        name: "variants",
        kind: Kind::Components,
        tables: BEFORE_VARIANTS,
        meaning: "The variants to make, each declared as `[variant.*]`.",
        example: "variants = [\"day\", \"night\"]",
    },
    KeyFacts {
        key: Key::Views,
        name: "views",
        kind: Kind::Components,
        tables: BEFORE_VIEWS,
        meaning: "The views to make (left, right …), each declared as `[view.*]`.",
        example: "views = [\"left\", \"right\"]",
    },
    KeyFacts {
        key: Key::Preset,
        name: "preset",
        kind: Kind::Component,
        tables: BEFORE_PRESETS,
        meaning: "How well to render, declared as `[preset.*]`. `trial` is built in: first, middle and last frame at an eighth of the size, in a folder of their own.",
        example: "preset = \"final\"",
    },
    KeyFacts {
        key: Key::Scale,
        name: "scale",
        kind: Kind::Scale,
        tables: ANYWHERE,
        meaning: "A part of `size` to render at.",
        example: "scale = \"1/8\"",
    },
    KeyFacts {
        key: Key::Only,
        name: "only",
        kind: Kind::Only,
        tables: NOT_BY_PASS,
        meaning: "Which of the frames: `all`, or `ends` for the first, the middle and the last.",
        example: "only = \"ends\"",
    },
    KeyFacts {
        key: Key::Under,
        name: "under",
        kind: Kind::Component,
        tables: ANYWHERE,
        meaning: "A folder of its own, directly below the place that the path starts from.",
        example: "under = \"trial\"",
    },
    KeyFacts {
        key: Key::Enabled,
        name: "enabled",
        kind: Kind::Truth,
        tables: ANYWHERE,
        meaning: "Whether it is made at all.",
        example: "enabled = false",
    },
    KeyFacts {
        key: Key::Priority,
        name: "priority",
        kind: Kind::Signed,
        tables: NOT_BY_PASS,
        meaning: "What has a higher number is made earlier; else the order of the file holds.",
        example: "priority = 10",
    },
    KeyFacts {
        key: Key::Unset,
        name: "unset",
        kind: Kind::Keys,
        tables: ANYWHERE,
        meaning: "Hands keys that earlier layers set back to the scene.",
        example: "unset = [\"camera\"]",
    },
    KeyFacts {
        key: Key::State,
        name: "state",
        kind: Kind::Template,
        tables: &[Project],
        meaning: "The folder of ledger and logs; unset, `.truepath` beside the job file.",
        example: "state = \"{place.renders}/state\"",
    },
];

impl Key {
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
            assert!(facts.example.starts_with(&format!("{} = ", facts.name)));
            assert_eq!(facts.key.facts().key, facts.key);
            assert!(facts.meaning.ends_with('.'));
        }
    }
}
