//! The outputs of a job that has a file of each kind.

/// A sequence for each pass.
pub const FRAMES: &str = r#"[output.frames]
path = "r/{shot}_{pass}.{frame:04}.exr"
channels = "rgb"
bits = "half"
color = { pixels = "linear", transfer = "srgb" }
"#;

/// Files with the passes of the sequences as layers.
pub const LAYERS: &str = r#"[output.together]
path = "t/{shot}.{frame:04}.exr"
from = "frames"
layers = { all = ["beauty", "depth"] }
"#;

/// A movie of the sequence of one pass.
pub const MOVIE: &str = r#"[output.review]
path = "m/{shot}.mp4"
movie = { from = "frames", codec = "h264", pass = "beauty" }
"#;

/// A still of a frame for each pass.
pub fn still(frame: i64) -> String {
    format!("[output.still]\npath = \"s/{{shot}}_{{pass}}.png\"\nstill = {frame}\n")
}
