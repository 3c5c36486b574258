//! The one table of what a profile can say: it drives the reader's advice, the schema and the
//! reference.

/// What kind of value a key of a profile takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ProfileKind {
    /// A text.
    Text,
    /// A list of texts.
    Texts,
    /// A whole number.
    Number,
    /// True or false.
    Truth,
    /// One of these words.
    Choice(&'static [&'static str]),
    /// Some of these words.
    Choices(&'static [&'static str]),
    /// Tables of words, by name.
    Words,
    /// The arguments.
    Arguments,
    /// Templates by name.
    Templates,
    /// Patterns by what they mean.
    Log,
    /// A list of whole numbers.
    Numbers,
    /// Files to write.
    Files,
    /// Settings by name.
    Settings,
    /// A text, or a list of them.
    TextOrTexts,
}

/// What there is to know about a key of a profile.
#[derive(Debug)]
pub struct ProfileKey {
    /// How it is written; a key of a table with the table before a dot.
    pub name: &'static str,
    /// What it takes.
    pub kind: ProfileKind,
    /// What it is for.
    pub meaning: &'static str,
    /// An example, as TOML.
    pub example: &'static str,
}

const fn key(
    name: &'static str,
    kind: ProfileKind,
    meaning: &'static str,
    example: &'static str,
) -> ProfileKey {
    ProfileKey {
        name,
        kind,
        meaning,
        example,
    }
}

use ProfileKind::{
    Arguments, Choice, Choices, Files, Log, Number, Numbers, Settings, Templates, Text,
    TextOrTexts, Texts, Truth, Words,
};

/// Every key of a profile, in the order of the reference.
pub const PROFILE_KEYS: [ProfileKey; 48] = [
    key(
        "engine.name",
        Text,
        "Its name in job files.",
        "engine.name = \"myrender\"",
    ),
    key(
        "engine.program",
        Text,
        "The program: a name on the PATH, or a path. `{self}` is True Path itself.",
        "engine.program = \"myrender\"",
    ),
    key(
        "engine.makes",
        Choice(&["pictures", "movies", "layers"]),
        "What it makes: pictures of scenes, movies of sequences, or files of the layers of others.",
        r#"engine.makes = "movies""#,
    ),
    key(
        "engine.frames",
        Choice(&["one", "range", "stepped", "list"]),
        "What one process can take of the frames: a single one, a range without gaps, a range with a step, or any set.",
        "engine.frames = \"range\"",
    ),
    key(
        "engine.passes",
        Choice(&["one", "all"]),
        "What one process can take of the passes.",
        "engine.passes = \"one\"",
    ),
    key(
        "engine.together",
        Choices(&["passes", "views"]),
        "What it can put several of into one file.",
        "engine.together = [\"passes\"]",
    ),
    key(
        "engine.scenes",
        Texts,
        "The extensions of its scenes, without a dot.",
        "engine.scenes = [\"scene\"]",
    ),
    key(
        "version.ask",
        Texts,
        "The arguments that make the program print its version.",
        "version.ask = [\"--version\"]",
    ),
    key(
        "version.find",
        Text,
        "A regular expression that finds the version in what it prints; the group is called `version`.",
        "version.find = 'myrender (?P<version>\\S+)'",
    ),
    key(
        "version.at-least",
        Text,
        "The lowest version that the profile is for.",
        "version.at-least = \"3.7\"",
    ),
    key(
        "environment",
        Templates,
        "Variables that are set for it; those of `env` in the job win.",
        r#"environment = { OMP_NUM_THREADS = "{threads}" }"#,
    ),
    key(
        "set-up",
        Text,
        "A script of a POSIX shell that sets variables which it needs; relative to the job file. Each run starts it once.",
        r#"set-up = "tools/renderer-env.sh""#,
    ),
    key(
        "needs",
        Texts,
        "Variables of the environment that it cannot do without, set by `env` or before True Path is started.",
        "needs = [\"LICENCE_SERVER\"]",
    ),
    key(
        "max-processes",
        Number,
        "How many of its processes may run at once, because of licences, say.",
        r#"max-processes = 2"#,
    ),
    key(
        "single-threaded",
        Truth,
        "Whether it uses one core unless it is given a number of threads.",
        "single-threaded = true",
    ),
    key(
        "setting",
        Settings,
        "The settings that it knows: `takes` (`text`, `truth`, `whole`, `number`, `word`), `from`, `to`, `words`. Others are warned of, and values that do not fit are errors.",
        r#"setting.samples = { takes = "whole", from = 1, to = 4096 }"#,
    ),
    key(
        "describe",
        Texts,
        "The arguments with which the program prints what a scene has, as JSON: `frames`, `size`, `fps`, `cameras`, `camera`, `passes`, `settings`, `files`.",
        "describe = [\"--describe\", \"{scene.file}\"]",
    ),
    key(
        "scene-files.find",
        Texts,
        "Regular expressions with the group `file`: how its scenes name the files that they need. A file that is there, beside the scene or beside the file that names it, goes into bundles, and frames that were made with another one are stale. Other names are those of the engine's own libraries.",
        r#"scene-files.find = ['include\s+"(?P<file>[^"]+)"']"#,
    ),
    key(
        "scene-files.follow",
        Truth,
        "Whether those files name further ones in the same way.",
        "scene-files.follow = true",
    ),
    key(
        "map",
        Words,
        "Maps from the job's words to the engine's own: `by` names tokens whose values, with a space between, choose the row. `{map.NAME}` is the row's text; where there is no row, the engine cannot do it.",
        "map.kind = { by = [\"format\", \"bits\"], \"png 8\" = \"PNG8\", \"exr half\" = \"EXR16\" }",
    ),
    key(
        "arguments",
        Arguments,
        "The arguments, in order. An entry whose tokens have no value is left out. A list stands or falls as a whole. A table can say `when` (tokens and the values that they must have), `each` (`settings` with `{key}` and `{value}`, `passes` with `{pass}`, `views` with `{view}`, `layers` with `{layer.name}`, `{layer.words}` and `{layer.file}`, `sounds` with `{sound.file}` and `{sound.offset}`), `put`, `split = true` where the text holds several arguments, and `changes-picture = false` for what makes no other picture. In `when`, an empty text stands for a token without a value.",
        "arguments = [\"--in={scene.file}\", [\"--size\", \"{width}x{height}\"], { each = \"settings\", put = \"{key}={value}\" }, \"--to={target}\"]",
    ),
    key(
        "output-name",
        Text,
        "How it names the files that it writes, in the folder that it is given; `{frame:?}` stands for any digits. Unset, that is found out.",
        "output-name = \"{target.stem}{frame:?}.{ext}\"",
    ),
    key(
        "writes",
        Text,
        "Where it writes when it writes where the scene says, as an absolute path with `{frame:?}`; files that are there are kept safe.",
        r#"writes = "{scene.folder}/out/{scene}{frame:?}.png""#,
    ),
    key(
        "frame-files",
        Texts,
        "Files that one frame alone is made of, as where each frame has a scene of its own. They count as inputs of that frame, by their content, and are packed; one process takes one frame.",
        r#"frame-files = ["{scene.folder}/{scene}.{frame:04}.dat"]"#,
    ),
    key(
        "folder",
        Text,
        "The folder that it works in; unset, its staging folder.",
        r#"folder = "{scene.folder}""#,
    ),
    key(
        "file",
        Files,
        "Files to write into its folder before it starts: `name`, and `json` (texts are templates; one that is a single token becomes its value) or `text` with a `language`: `python` and `sh` write each token as a value of the language, `plain` as it is.",
        r#"file = [{ name = "options.json", json = { scene = "{scene.file}", settings = "{settings}" } }]"#,
    ),
    key(
        "links",
        Templates,
        "Links to lay into its folder before it starts: the name and what it leads to.",
        "links = { \"scene.in\" = \"{scene.file}\" }",
    ),
    key(
        "log",
        Log,
        "What its log lines mean, by regular expressions: `frame` (group `frame`, or `index` for its place among the frames of the process, from 1): a frame has begun; `file` (group `file`): this file is final; `saved` (group `file`): this file holds an intermediate state, which proves nothing; `progress`: how far the frame is (group `percent`, `samples` with `of` for those that are wanted, or `left`, a time such as `95` or `1:35`; a line that repeats what the one before reported is not kept in the log); `samples`: how many samples the frame has got that is finished next (groups `samples` and `of`); `warning` and `error` (group `text`).",
        "log = [{ warning = '^warning: (?P<text>.*)$' }]",
    ),
    key(
        "usual-pixels",
        Templates,
        "Of an encoder: how it stores pixels where `movie.pixels` is unset, by codec.",
        r#"usual-pixels = { h264 = "4:2:0 8" }"#,
    ),
    key(
        "success-codes",
        Numbers,
        "Exit codes, besides 0, that mean success.",
        r#"success-codes = [3]"#,
    ),
    key(
        "in-order",
        Truth,
        "Whether it finishes each frame before it begins the next, in ascending order. Then a frame is published as soon as a later one has begun; else only when the engine names its file (`log.file`) or ends with success.",
        "in-order = true",
    ),
    key(
        "split",
        Text,
        "Whether the frames of a clip may be split over several processes: `free` where a frame is the same picture whatever range it is rendered in, `never` where it is not. Where it is not set, a run finds it out, unless the job says it.",
        r#"split = "free""#,
    ),
    key(
        "error-fails",
        Truth,
        "Whether a frame counts as failed of which a line that `log.error` finds was printed, also when the process ends with success. Off where it is not set: the error is reported, and the picture is taken.",
        "error-fails = true",
    ),
    key(
        "background-limit",
        Text,
        "How long processes that it leaves in the background may work on its pictures, such as `60s` or `5m`. Then they are ended, and the pictures are not finished. 60 s where it is not set.",
        r#"background-limit = "5m""#,
    ),
    key(
        "prepare.program",
        Text,
        "A step that is done once for each scene before its frames, exporting it, say: the program; unset, the engine itself.",
        r#"prepare.program = "myexport""#,
    ),
    key(
        "prepare.arguments",
        Texts,
        "The arguments of that step; `{prepared}` is where its result goes.",
        r#"prepare.arguments = ["--export", "{scene.file}", "{prepared}"]"#,
    ),
    key(
        "prepare.makes",
        Text,
        "The name of its result; the arguments of the frames have it as `{prepared}`.",
        r#"prepare.makes = "{scene}.exported""#,
    ),
    key(
        "prepare.keep",
        Truth,
        "Whether the result is kept for the next run; it is made again when the scene changed.",
        r#"prepare.keep = false"#,
    ),
    key(
        "checkpoint.files",
        Text,
        "The files that it goes on from when it was stopped in the middle of a frame.",
        r#"checkpoint.files = "picture{frame:?}.state""#,
    ),
    key(
        "checkpoint.put",
        TextOrTexts,
        "The arguments that make it continue from there.",
        r#"checkpoint.put = "--continue""#,
    ),
    key(
        "proof.program",
        Text,
        "A program that decodes a whole movie and prints what it found.",
        r#"proof.program = "ffprobe""#,
    ),
    key(
        "proof.arguments",
        Texts,
        "Its arguments; `{target}` is the movie.",
        r#"proof.arguments = ["-count_frames", "{target}"]"#,
    ),
    key(
        "proof.find",
        Texts,
        "Regular expressions for what it prints: groups `frames`, `width`, `height`, `error`.",
        r#"proof.find = ['frames=(?P<frames>[0-9]+)']"#,
    ),
    key(
        "lowest-frame",
        Number,
        "The lowest frame that it renders rightly.",
        "lowest-frame = 0",
    ),
    key(
        "shortest-clip",
        Number,
        "A clip of fewer frames is given a later end, because of its clock.",
        "shortest-clip = 2",
    ),
    key(
        "rejects.characters",
        Text,
        "Characters that none of its arguments may hold.",
        "rejects.characters = \" \"",
    ),
    key(
        "rejects.non-ascii",
        Truth,
        "Whether it takes nothing but ASCII.",
        "rejects.non-ascii = true",
    ),
    key(
        "rejects.why",
        Text,
        "Why, as a sentence.",
        "rejects.why = \"it splits its arguments at spaces\"",
    ),
];

/// The keys of a table (`""` for the top), each once.
#[must_use]
pub(crate) fn keys_of(table: &str) -> Vec<&'static str> {
    let mut names: Vec<&'static str> = Vec::new();
    for key in &PROFILE_KEYS {
        let name = match (key.name.split_once('.'), table) {
            (Some((first, _)), "") => first,
            (None, "") => key.name,
            (Some((first, rest)), table) if first == table => rest,
            _ => continue,
        };
        if !names.contains(&name) {
            names.push(name);
        }
    }
    names
}
