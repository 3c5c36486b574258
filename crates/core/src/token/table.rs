//! The one table of tokens.

use super::facts::SetBy::{
    Engine, Extension, Key, KeyOrMovieKey, Nobody, OutputName, Place, Setting, ShotName, Size,
};
use super::facts::ValueKind::{Date, Number, Path, Text};
use super::facts::{TokenFacts, profile, template};

macro_rules! tokens {
    ($($token:ident $name:literal => $facts:expr,)*) => {
        /// A token that is built in.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        #[allow(missing_docs)] // each is described by its facts
        pub enum Token {
            $($token,)*
        }

        impl Token {
            /// All of them, in the order of the reference.
            pub const ALL: &'static [Self] = &[$(Self::$token,)*];

            /// What there is to know about it.
            #[must_use]
            pub fn facts(self) -> &'static TokenFacts {
                match self {
                    $(Self::$token => {
                        const FACTS: TokenFacts = $facts.named($name);
                        &FACTS
                    })*
                }
            }

            /// The token of exactly this name.
            pub(super) fn of_name(name: &str) -> Option<Self> {
                match name {
                    $($name => Some(Self::$token),)*
                    _ => None,
                }
            }
        }
    };
}

tokens! {
    Project "project" => template("the project's name", Text, Key("name")),
    Place "place.NAME" => template(
        "a folder of `[place]`; also `place.job` and `place.scene`", Path, Place,
    ).without_picture(),
    Shot "shot" => template("the shot's name", Text, ShotName),
    Scene "scene" => template("the scene's file name without its extension", Text, Key("scene")),
    Variant "variant" => template("the variant", Text, Key("variants")),
    View "view" => template("the view", Text, Key("views")).decides("view"),
    Pass "pass" => template(
        "the pass", Text, KeyOrMovieKey("passes", "movie.pass"),
    ).decides("pass"),
    Camera "camera" => template("the camera", Text, Key("camera")).decides("camera"),
    Preset "preset" => template("the preset", Text, Key("preset")),
    Engine "engine" => template("the engine's name", Text, Engine),
    Output "output" => template("the output's name", Text, OutputName),
    Version "version" => template("the version, a number", Number, Key("version")),
    Frame "frame" => template("the frame, a number", Number, Nobody)
        .in_profiles("the frame of a process that renders one")
        .varying()
        .without_picture(),
    First "first" => template("the first frame of the shot", Number, Key("frames"))
        .in_profiles("the first frame of the process")
        .varying()
        .without_picture(),
    Last "last" => template("the last frame of the shot", Number, Key("frames"))
        .in_profiles("the last frame of the process")
        .varying()
        .without_picture(),
    Count "count" => template("how many frames the shot has", Number, Key("frames")),
    Width "width" => template("the width of the file, in pixels", Number, Size)
        .in_profiles("the width of the whole picture, in pixels")
        .decides("size"),
    Height "height" => template("the height of the file, in pixels", Number, Size)
        .in_profiles("the height of the whole picture, in pixels")
        .decides("size"),
    Fps "fps" => template("frames per second", Text, Key("fps")),
    Ext "ext" => template("the extension of the format, without a dot", Text, Extension),
    Codec "codec" => template("the codec of a movie", Text, Key("movie.codec")),
    Container "container" => template("the container of a movie", Text, Key("movie.container")),
    User "user" => template("the user's name on this machine", Text, Nobody).without_picture(),
    Artist "artist" => template(
        "the artist, from your configuration, else the user", Text, Nobody,
    ).without_picture(),
    Host "host" => template("this machine's name", Text, Nobody).without_picture(),
    Date "date" => template(
        "when the run began, such as `{date:%Y%m%d}`", Date, Nobody,
    ).without_picture(),
    Setting "settings.NAME" => template("a setting that is handed to the engine", Text, Setting),

    SceneFile "scene.file" => profile("the scene, an absolute path").without_picture(),
    SceneFolder "scene.folder" => profile("the folder of the scene").without_picture(),
    Frames "frames" => profile("the frames of the process, such as `1-9,12`")
        .varying()
        .without_picture(),
    FramesList "frames.list" => profile("each of them, a list in files that are given")
        .many()
        .varying()
        .without_picture(),
    Step "step" => profile("the step between them").varying().without_picture(),
    ClipFirst "clip.first" => profile("the first frame of the shot"),
    ClipLast "clip.last" => profile("the last frame of the shot"),
    Target "target" => profile("where to write: the target's folder and name")
        .varying()
        .without_picture(),
    TargetFolder "target.folder" => profile("the folder to write to, an absolute path")
        .varying()
        .without_picture(),
    TargetName "target.name" => profile("the name to write, with its extension")
        .varying()
        .without_picture(),
    TargetStem "target.stem" => profile("that name without its extension")
        .varying()
        .without_picture(),
    TargetExtension "target.extension" => profile("the extension alone, without a dot"),
    TargetPrintf "target.printf" => profile("the target with `%04d` for the frame")
        .varying()
        .without_picture(),
    TargetHashes "target.hashes" => profile("the target with `####` for the frame")
        .varying()
        .without_picture(),
    Format "format" => profile("the file format"),
    Channels "channels" => profile("the channels of a pixel").decides("channels"),
    Bits "bits" => profile("the bits of a channel").decides("bits"),
    Compression "compression" => profile("the compression of the file").decides("compression"),
    Quality "quality" => profile("the quality of a lossy file, from 1 to 100").decides("quality"),
    PixelAspect "pixel-aspect" => profile("width of a pixel by its height, a decimal number")
        .decides("pixel-aspect"),
    CropWidth "crop.width" => profile("width of the part, in pixels").decides("crop"),
    CropHeight "crop.height" => profile("height of the part, in pixels").decides("crop"),
    CropLeft "crop.left" => profile("left edge of the part, in pixels").decides("crop"),
    CropTop "crop.top" => profile("upper edge of the part, in pixels").decides("crop"),
    Together "together" => profile("`yes` where a file holds several passes or views, else `no`"),
    Passes "passes" => profile("each pass of the process, a list in files that are given").many(),
    Views "views" => profile("each view of the process, a list in files that are given").many(),
    Settings "settings" => profile("all settings, a table in files that are given").many(),
    SettingKey "key" => profile("the name of a setting, with `each = \"settings\"`"),
    SettingValue "value" => profile("its value, with `each = \"settings\"`"),
    Threads "threads" => profile("the threads of the process").without_picture().decides("threads"),
    Prepared "prepared" => profile("what the preparing step made of the scene")
        .varying()
        .without_picture(),
    Transfer "transfer" => profile("the transfer function from linear light to display"),
    PixelValues "pixel-values" => profile("what pixels are: `linear` or `display`"),
    SourcePrintf "source.printf" => profile(
        "the frames of a movie, with `%04d` and the like for the number",
    ).varying().without_picture(),
    SourceFirst "source.first" => profile("the number of the first of them")
        .varying()
        .without_picture(),
    SourceCount "source.count" => profile("how many they are"),
    SourceFormat "source.format" => profile("their file format"),
    SourceValues "source.values" => profile("what their pixels are: `linear`, `display` or `data`"),
    SourceAlpha "source.alpha" => profile("`yes` where they have alpha, else `no`"),
    SourceTransfer "source.transfer" => profile(
        "their transfer function to display, where they are linear light",
    ),
    LayerName "layer.name" => profile("the name of a layer in the new file, with `each = \"layers\"`"),
    LayerWords "layer.words" => profile("the words of its name in the file that it is taken from"),
    LayerFile "layer.file" => profile("that file, an absolute path").varying().without_picture(),
    FpsFraction "fps.fraction" => profile("frames per second, `24000/1001` for 23.976"),
    Seconds "seconds" => profile("the length of a movie, in seconds"),
    Pixels "pixels" => profile("how the pixels of a movie are stored"),
    MovieQuality "movie-quality" => profile("the quality of a movie"),
    Rate "rate" => profile("the bit rate of a movie, in bits per second"),
    Audio "audio" => profile("the sound of a movie, an absolute path").without_picture(),
    StopSamples "stop-samples" => profile("the samples that a frame is done with").without_picture(),
    StopSeconds "stop-seconds" => profile("the seconds after which a frame is done").without_picture(),
    AudioDelay "audio-delay" => profile("how long the movie is silent before its sound begins, in milliseconds"),
    AudioSkip "audio-skip" => profile("how much of the beginning of the sound is left out, in milliseconds"),
    SoundFile "sound.file" => profile("a sound of a movie, an absolute path, with `each = \"sounds\"`").without_picture(),
    SoundOffset "sound.offset" => profile("when it begins, in milliseconds from the first frame; negative, so much of it is left out"),
    BurnIn "burn-in" => profile("the text in every frame of a movie; `{frame}` and `{date}` are left in it as tokens"),
    BurnInCorner "burn-in-corner" => profile("where that text stands"),
    Slate "slate" => profile("the frames of the slate before a movie"),
    AudioCodec "audio-codec" => profile("the codec of the sound"),
    Map "map.NAME" => profile("the engine's own word, from the map of that name"),
}
