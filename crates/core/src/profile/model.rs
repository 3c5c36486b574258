//! What a profile says about an engine.

use std::time::Duration;

use super::{FramesPerProcess, GivenFile, LogKind, LogPattern, SceneFileNames, SettingFacts};
use crate::frames::Frame;
use crate::picture::Holds;
use crate::source::Place;
use crate::split::SplitWord;
use crate::template::Template;

/// A program that renders, described.
#[derive(Debug, Clone, Default)]
pub struct Profile {
    /// Its name in job files.
    pub name: String,
    /// The program; [`Profile::THIS_PROGRAM`] for a part of True Path itself.
    pub program: String,
    /// Whether it came with the project, and not with this program.
    pub is_of_project: bool,
    /// Whether it takes the place of one that comes with this program.
    pub replaces_shipped: bool,
    /// Whether it is made of a `run` line of the job.
    pub is_run_line: bool,
    /// Whether nothing renders: the pictures are there already, and a movie is made of them.
    pub is_absent: bool,
    /// What it makes.
    pub makes: Makes,
    /// What one process can take of the frames.
    pub takes: FramesPerProcess,
    /// What one process can take of the passes.
    pub passes: PassesPerProcess,
    /// What it can put several of into one file.
    pub holds: Vec<Holds>,
    /// How the program is asked for its version.
    pub version: Option<VersionQuery>,
    /// The lowest version that the profile is for.
    pub wants: Option<String>,
    /// Variables of the environment that it cannot do without.
    pub needs: Vec<String>,
    /// Variables that are set for it.
    pub environment: Vec<(String, Template)>,
    /// A script of a POSIX shell that sets variables which it needs.
    pub set_up: Option<String>,
    /// How many of its processes may run at once, over all machines.
    pub max_processes: Option<u64>,
    /// Whether it uses one core unless it is given a number.
    pub single_threaded: bool,
    /// The settings that it knows; empty where it is not set.
    pub settings: Vec<SettingFacts>,
    /// The arguments with which the program prints what a scene has, as JSON.
    pub describe: Option<Vec<Template>>,
    /// The extensions of its scenes, without a dot.
    pub scenes: Vec<String>,
    /// How its scenes name the files that they need, where that is known.
    pub scene_file_names: Option<SceneFileNames>,
    /// Maps from the job's words to the engine's own.
    pub maps: Vec<ValueMap>,
    /// The arguments, in order.
    pub arguments: Vec<Argument>,
    /// How it names the files that it writes.
    pub naming: Naming,
    /// The folder that it works in; the staging folder where it is not set.
    pub folder: Option<Template>,
    /// Files to write into the staging folder before it starts.
    pub files: Vec<GivenFile>,
    /// Where it writes when it writes where the scene says: an absolute path with the frame.
    pub writes: Option<Template>,
    /// Files that one frame alone is made of.
    pub frame_files: Vec<Template>,
    /// What has to be made of a scene before its frames.
    pub prepare: Option<Preparation>,
    /// How it goes on with a frame that it was stopped at.
    pub checkpoint: Option<Checkpoint>,
    /// How the movies that it makes are proven.
    pub proof: Option<MovieProof>,
    /// How it stores the pixels of movies where the job does not say it: codec, and the name of the
    /// pixels.
    pub usual_pixels: Vec<(String, String)>,
    /// Exit codes, besides 0, that mean success.
    pub success_codes: Vec<i64>,
    /// Whether it finishes each frame before it begins the next, in ascending order: then a frame
    /// is finished as soon as a later one has begun.
    pub in_order: bool,
    /// Whether a frame is the same picture whatever range it is rendered in, where the profile says that.
    pub split: Option<SplitWord>,
    /// Whether a frame fails of which its log reports an error.
    pub error_fails: bool,
    /// How long what it leaves in the background may work on its pictures; none where it does not say.
    pub background_limit: Option<Duration>,
    /// Links to lay into the staging folder before it starts: name and what it leads to.
    pub links: Vec<(String, Template)>,
    /// What its log lines mean.
    pub log: Vec<LogPattern>,
    /// The lowest frame that it renders rightly.
    pub lowest_frame: Option<Frame>,
    /// A clip shorter than this many frames is given a later end, because of its clock.
    pub shortest_clip: i64,
    /// What none of its arguments may hold.
    pub rejects: Option<Rejection>,
    /// Where the job names it, for findings about it.
    pub place: Option<Place>,
}

impl Profile {
    /// The program that stands for True Path itself.
    pub const THIS_PROGRAM: &'static str = "{self}";

    /// The profile that makes files of the layers of others.
    pub(crate) const LAYERS: &'static str = "built-in-layers";

    /// The profile that puts movies together where the job names no other, and the encoder inside this program cannot.
    pub(crate) const USUAL_ENCODER: &'static str = "ffmpeg";

    /// Whether the program is a part of True Path itself.
    #[must_use]
    pub fn is_this_program(&self) -> bool {
        self.program == Self::THIS_PROGRAM
    }

    /// What stands for an engine where the pictures are there already.
    #[must_use]
    pub fn absent() -> Self {
        Self {
            name: "no engine".to_owned(),
            takes: FramesPerProcess::List,
            is_absent: true,
            ..Self::default()
        }
    }

    /// Whether it is known how it names its files before it has written them.
    #[must_use]
    pub fn is_predictable(&self) -> bool {
        matches!(self.naming, Naming::Template(_)) || self.writes.is_some()
    }

    /// Whether its log says what a run needs to end it at a limit of a frame: when a file holds an intermediate state, and,
    /// for a number of `samples`, how many there are.
    #[must_use]
    pub fn can_be_stopped(&self, at_samples: bool) -> bool {
        let says = |is: &dyn Fn(&LogPattern) -> bool| self.log.iter().any(is);
        let counts = |one: &LogPattern| {
            matches!(one.kind, LogKind::Progress | LogKind::Samples)
                && one.find.contains("(?P<samples>")
        };
        self.is_predictable()
            && says(&|one| one.kind == LogKind::Saved)
            && (!at_samples || says(&counts))
    }

    /// Whether one process makes all passes of an output.
    #[must_use]
    pub(crate) fn takes_all_passes(&self) -> bool {
        self.passes == PassesPerProcess::All
    }

    /// Whether one of its arguments has a token.
    #[must_use]
    pub fn mentions(&self, token: &str) -> bool {
        let in_words = |name: &str| {
            let words = name.strip_prefix("map.");
            words.is_some_and(|name| {
                self.maps
                    .iter()
                    .any(|table| table.name == name && table.by.iter().any(|by| by == token))
            })
        };
        self.arguments.iter().any(|argument| {
            argument.when.iter().any(|(name, _)| name == token)
                || argument.put.iter().any(|template| {
                    template
                        .tokens()
                        .iter()
                        .any(|(one, _)| one.name == token || in_words(&one.name))
                })
        })
    }
}

/// What an engine makes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Makes {
    /// Pictures of scenes.
    #[default]
    Pictures,
    /// Movies of sequences.
    Movies,
    /// Files of the layers of others.
    Layers,
}

impl Makes {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Pictures, Self::Movies, Self::Layers];

    /// The word for it in profiles.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Pictures => "pictures",
            Self::Movies => "movies",
            Self::Layers => "layers",
        }
    }
}

/// What one process can take of the passes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum PassesPerProcess {
    /// One pass.
    #[default]
    One,
    /// All passes of an output at once.
    All,
}

/// How the program is asked for its version.
#[derive(Debug, Clone)]
pub struct VersionQuery {
    /// The arguments.
    pub ask: Vec<String>,
    /// A regular expression with a group `version`.
    pub find: String,
}

/// A map from the job's words to the engine's own.
#[derive(Debug, Clone)]
pub struct ValueMap {
    /// The token is `{map.NAME}`.
    pub name: String,
    /// The tokens whose values, with a space between, choose the row; those without a value are
    /// left out.
    pub by: Vec<String>,
    /// Rows: values of the job, word of the engine.
    pub rows: Vec<(String, String)>,
}

/// An entry of `arguments`.
#[derive(Debug, Clone)]
pub struct Argument {
    /// Emitted only where each token has one of these values.
    pub when: Vec<(String, Vec<String>)>,
    /// Repeated for every entry of this.
    pub each: Option<Each>,
    /// Whether what comes out is taken apart at spaces into several arguments.
    pub split: bool,
    /// The arguments; emitted only when every token in them has a value.
    pub put: Vec<Template>,
    /// Whether another value would make another picture.
    pub changes_picture: bool,
}

/// What an argument can repeat for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Each {
    /// Every setting, as `{key}` and `{value}`.
    Settings,
    /// Every pass, as `{pass}`.
    Passes,
    /// Every view, as `{view}`.
    Views,
    /// Every sound of a movie, as `{sound.file}` and `{sound.offset}`.
    Sounds,
    /// Every picture that is taken from another file, as `{layer.name}`, `{layer.words}` and `{layer.file}`.
    Layers,
}

impl Each {
    /// All of them.
    pub(crate) const ALL: [Self; 5] = [
        Self::Settings,
        Self::Passes,
        Self::Views,
        Self::Layers,
        Self::Sounds,
    ];

    /// The word for it in profiles.
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Settings => "settings",
            Self::Passes => "passes",
            Self::Views => "views",
            Self::Layers => "layers",
            Self::Sounds => "sounds",
        }
    }

    /// What repeats for the values of a token: `pass` or `view`.
    pub(crate) fn of_token(token: &str) -> Option<Self> {
        match token {
            "pass" => Some(Self::Passes),
            "view" => Some(Self::Views),
            _ => None,
        }
    }
}

/// How an engine names the files that it writes.
#[derive(Debug, Clone, Default)]
pub enum Naming {
    /// By this template, in the staging folder.
    Template(Template),
    /// Unknown: learned from what appears in an empty staging folder.
    #[default]
    Learned,
}

/// Characters that an engine's arguments may not hold.
#[derive(Debug, Clone)]
pub struct Rejection {
    /// These characters.
    pub characters: String,
    /// And everything that is not ASCII.
    pub non_ascii: bool,
    /// Why, as a sentence.
    pub why: String,
}

/// What has to be made of a scene, once, before its frames are rendered: exporting it, say.
#[derive(Debug, Clone)]
pub struct Preparation {
    /// The program; none for the engine's own.
    pub program: Option<String>,
    /// Its arguments; `{prepared}` is where the result goes.
    pub arguments: Vec<Template>,
    /// The name of the result.
    pub makes: Template,
    /// Whether the result is kept for the next run.
    pub keep: bool,
}

/// How an engine goes on with a frame that it was stopped at.
#[derive(Debug, Clone)]
pub struct Checkpoint {
    /// The files that it goes on from, in the staging folder.
    pub files: Template,
    /// The arguments for that.
    pub put: Vec<Template>,
}

/// How a movie is proven: a program that decodes all of it and prints what it found.
#[derive(Debug, Clone)]
pub struct MovieProof {
    /// The program.
    pub program: String,
    /// Its arguments.
    pub arguments: Vec<Template>,
    /// Regular expressions with groups `frames`, `width`, `height` and `error`.
    pub find: Vec<String>,
}
