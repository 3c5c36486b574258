//! `truepath demo`: writes the demo project and takes it all the way.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

use clap::Args;

mod files;

use files::{JOB_FILE, write_project};

use crate::error::{CommandError, DONE, FOUND};
use crate::show::{self, FAINT, GOOD, TITLE};
use crate::this_program;

/// Write the demo project and take it all the way
///
/// A planetarium makes a show about a brass orrery. The demo looks at the job, renders it with the
/// simulated renderer inside this program, audits the files, then breaks two things on purpose and
/// shows how they are caught and fixed.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  truepath demo my-demo && cd my-demo && truepath paths")]
pub(crate) struct Arguments {
    /// The folder to write; it must be empty or not there yet
    #[arg(default_value = "truepath-demo")]
    folder: PathBuf,
    /// Write the project, and render nothing
    #[arg(long)]
    no_render: bool,
}

/// The frame that is truncated on purpose.
const VICTIM: &str = "renders/dawn_day/beauty/v003/orr_dawn_day_dome_beauty_v003.0007.exr";
/// What the job file's path is without its passes.
const WITHOUT_PASS: &str = "{place.renders}/{shot}{?_{variant}}{?_{view}}/v{version:03}/{show}_{shot}{?_{variant}}{?_{view}}_{camera}_v{version:03}.{frame:04}.{ext}";
/// And with them again.
const WITH_PASS: &str = "{place.renders}/{shot}{?_{variant}}{?_{view}}/v{version:03}/{show}_{shot}{?_{variant}}{?_{view}}_{camera}_v{version:03}_{pass}.{frame:04}.{ext}";

/// The outputs that need no program but this one, where it has no encoder.
const WITHOUT_MOVIES: [&str; 2] = ["--output", "frames,preview,poster"];

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let folder = arguments.folder;
    write_project(&folder)?;
    print(&format!(
        "The demo project is in {TITLE}{}{TITLE:#}: {} and its scenes.",
        folder.display(),
        JOB_FILE.0
    ));
    if arguments.no_render {
        return Ok(ExitCode::from(DONE));
    }
    let mut guide = Guide {
        program: this_program::path().map_err(CommandError::outside("this program"))?,
        folder: folder.clone(),
        step: 0,
    };
    let is_here = |name: &str| truepath_runner::find_program(name, Path::new("/")).is_some();
    let has_encoder = cfg!(feature = "movies") || (is_here("ffmpeg") && is_here("ffprobe"));
    let outputs: &[&str] = if has_encoder { &[] } else { &WITHOUT_MOVIES };
    let with_outputs = |words: &[&'static str]| [words, outputs].concat();
    if !has_encoder {
        print("There is no encoder here: its movies are left out.");
    }

    guide.step(
        "Read the paths",
        "Where will the files be, and what will they be called? Tokens make every name.",
    );
    let paths = ["paths", "--shot", "dawn", "--variant", "night"];
    guide.call(&paths, DONE, LineFilter::First(5))?;

    guide.step(
        "Check the job",
        "Colliding names, lost alpha, missing scenes and programs: found before anything runs.",
    );
    guide.call(&with_outputs(&["check"]), DONE, LineFilter::Last(1))?;

    guide.step(
        "Read the command lines",
        "What would be started, word for word.",
    );
    let commands = ["commands", "--variant", "day", "--output", "preview"];
    guide.call(&commands, DONE, LineFilter::First(4))?;

    guide.step(
        "Try it small",
        "Preset `trial`: first, middle and last frame at an eighth of the size, in a folder of its own.",
    );
    let trial = ["run", "--trial", "--output", "frames"];
    guide.call(&trial, DONE, LineFilter::First(2))?;

    guide.step(
        "Render (about half a minute)",
        "Each frame goes into a staging folder, is decoded, and only then gets its true name.",
    );
    guide.call(&with_outputs(&["run"]), DONE, LineFilter::First(2))?;

    guide.step(
        "Audit",
        "Is every frame there, whole, and of the right size, format, channels and bits?",
    );
    guide.call(&with_outputs(&["audit"]), DONE, LineFilter::Last(1))?;

    guide.step(
        "A mistake in the job: a pass left out of the path",
        "mistake.toml is the same job with {pass} taken out of a path: three passes under one name.",
    );
    let mistake = String::from_utf8_lossy(JOB_FILE.1).replace(
        "{place.renders}/{shot}{?_{variant}}{?_{view}}/{pass}/v{version:03}/{show}_{shot}{?_{variant}}{?_{view}}_{camera}_{pass}_v{version:03}.{frame:04}.{ext}",
        WITHOUT_PASS,
    );
    write_new(&folder.join("mistake.toml"), mistake.as_bytes())?;
    let of_mistake = with_outputs(&["check", "--job", "mistake.toml"]);
    guide.call(&of_mistake, FOUND, LineFilter::First(24))?;
    guide.say("With the path that it advises, here given on the command line:");
    let fixed = format!("output.frames.path={WITH_PASS}");
    let fixed: Vec<&str> = [&of_mistake[..], &["--set", &fixed]].concat();
    guide.call(&fixed, DONE, LineFilter::Last(1))?;

    guide.step(
        "An accident on the disk: a truncated frame",
        "Half of one file is cut off, as after a power loss. It looks complete in the folder.",
    );
    truncate(&folder.join(VICTIM))?;
    let of_dawn = |command: &'static str| with_outputs(&[command, "--shot", "dawn"]);
    guide.call(&of_dawn("audit"), FOUND, LineFilter::Last(5))?;
    guide.say("`run` moves the broken file aside and renders that one frame again:");
    guide.call(&of_dawn("run"), DONE, LineFilter::First(3))?;
    guide.call(&of_dawn("audit"), DONE, LineFilter::Last(1))?;

    for (program, package, job, title, why) in [
        (
            "povray",
            "povray",
            "raytraced.toml",
            "The same with a ray tracer",
            "raytraced.toml is a whole job in the short form, for POV-Ray.",
        ),
        (
            "python3",
            "python3",
            "scripted.toml",
            "The same with a program that is driven by a script",
            "scripted.toml is drawn by Python: the profile writes the script first, then runs it.",
        ),
    ] {
        guide.step(title, why);
        if is_here(program) {
            guide.call(&["run", "--job", job], DONE, LineFilter::First(1))?;
            guide.call(&["audit", "--job", job], DONE, LineFilter::Last(1))?;
        } else {
            guide.say(&format!(
                "It is not installed here (Debian's package {package}), so this step is left out."
            ));
        }
    }

    let shown = folder.display();
    print(&format!(
        "\n{GOOD}That was the demo.{GOOD:#} Try next:\n\n  \
         cd {shown}\n  \
         truepath overview                       all that the job makes, a line each\n  \
         truepath tokens --shot dawn             where every part of a name comes from\n  \
         truepath run --shot eclipse --trial     one shot, small\n  \
         truepath new --for-scene YOUR-SCENE     a job for a scene of your own"
    ));
    Ok(ExitCode::from(DONE))
}

/// A line of the demo. What cannot be written is reported by the commands that it calls.
fn print(line: &str) {
    let _ = show::print(line);
}

/// A line that this program has printed already.
fn again(line: &str) {
    let _ = show::output::print_again(&format!("{line}\n"));
}

/// Says what is done and why, and calls this program as a user would.
struct Guide {
    program: PathBuf,
    folder: PathBuf,
    step: u32,
}

impl Guide {
    fn step(&mut self, title: &str, why: &str) {
        self.step += 1;
        print(&format!("\n{TITLE}{}. {title}{TITLE:#}", self.step));
        self.say(why);
    }

    fn say(&self, text: &str) {
        print(&format!("{FAINT}{text}{FAINT:#}"));
    }

    /// Calls this program, and shows a part of what it prints; all of it where it goes wrong.
    fn call(
        &self,
        arguments: &[&str],
        expected: u8,
        shown: LineFilter,
    ) -> Result<(), CommandError> {
        let line = truepath_core::quote::posix_line("truepath", arguments.iter().copied());
        print(&format!("\n$ {}", shortened(&line)));
        let mut command = Command::new(&self.program);
        command.args(arguments).current_dir(&self.folder);
        if anstream::AutoStream::choice(&io::stdout()) != anstream::ColorChoice::Never {
            command.env("CLICOLOR_FORCE", "1");
        }
        let output = command
            .output()
            .map_err(CommandError::outside("this program cannot be started"))?;
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        if output.status.code() == Some(i32::from(expected)) {
            shown.print(&text);
            return Ok(());
        }
        LineFilter::First(usize::MAX).print(&text);
        eprint!("{}", String::from_utf8_lossy(&output.stderr));
        Err(CommandError::Outside {
            what: format!("the demo went wrong at `{line}`"),
            error: io::Error::other(output.status.to_string()),
        })
    }
}

/// A long value of a command line is not worth reading.
fn shortened(line: &str) -> String {
    match line.char_indices().nth(96) {
        Some((at, _)) => format!("{}…", &line[..at]),
        None => line.to_owned(),
    }
}

/// Which lines of an output are shown.
#[derive(Debug, Clone, Copy)]
enum LineFilter {
    First(usize),
    Last(usize),
}

impl LineFilter {
    fn print(self, text: &str) {
        let lines: Vec<&str> = text
            .lines()
            .filter(|line| !line.trim().is_empty())
            .collect();
        let count = lines.len();
        let left = |number: usize| {
            print(&format!(
                "{FAINT}… and {}{FAINT:#}",
                show::count(number as u64, "more line", "more lines")
            ));
        };
        match self {
            Self::First(number) => {
                lines.iter().take(number).for_each(|line| again(line));
                if count > number {
                    left(count - number);
                }
            }
            Self::Last(number) => {
                let from = count.saturating_sub(number);
                lines[from..].iter().for_each(|line| again(line));
            }
        }
    }
}

fn write_new(path: &Path, bytes: &[u8]) -> Result<(), CommandError> {
    use std::io::Write;
    let refused = |error| CommandError::Outside {
        what: path.display().to_string(),
        error,
    };
    let mut file = fs::File::create_new(path).map_err(refused)?;
    file.write_all(bytes).map_err(refused)
}

/// Cuts a file of the demo in half.
fn truncate(path: &Path) -> Result<(), CommandError> {
    let refused = |error| CommandError::Outside {
        what: path.display().to_string(),
        error,
    };
    let file = fs::File::options()
        .write(true)
        .open(path)
        .map_err(refused)?;
    let length = file.metadata().map_err(refused)?.len();
    file.set_len(length / 2).map_err(refused)
}
