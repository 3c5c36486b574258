//! `truepath demo`: writes the demo project and takes it all the way.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

use clap::Args;

use crate::outcome::{DONE, FOUND, Trouble};
use crate::show::{self, FAINT, GOOD, TITLE};
use crate::this_program;

/// Write the demo project and take it all the way
///
/// A planetarium makes a show about a brass orrery. The demo looks at the job, renders it with the
/// simulated renderer inside this program, audits the files, then breaks two things on purpose and
/// shows how they are caught and mended.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  truepath demo my-demo && cd my-demo && truepath paths")]
pub(crate) struct Arguments {
    /// The folder to write; it must be empty or not there yet
    #[arg(default_value = "truepath-demo")]
    folder: PathBuf,
}

/// The files of the demo project.
const FILES: [(&str, &[u8]); 10] = [
    (
        "truepath.toml",
        include_bytes!("../../../../demo/truepath.toml"),
    ),
    (
        "raytraced.toml",
        include_bytes!("../../../../demo/raytraced.toml"),
    ),
    (
        "scenes/dawn.toml",
        include_bytes!("../../../../demo/scenes/dawn.toml"),
    ),
    (
        "scenes/transit.toml",
        include_bytes!("../../../../demo/scenes/transit.toml"),
    ),
    (
        "scenes/eclipse.toml",
        include_bytes!("../../../../demo/scenes/eclipse.toml"),
    ),
    (
        "scenes/model.pov",
        include_bytes!("../../../../demo/scenes/model.pov"),
    ),
    (
        "scripted.toml",
        include_bytes!("../../../../demo/scripted.toml"),
    ),
    (
        "scenes/gears.py",
        include_bytes!("../../../../demo/scenes/gears.py"),
    ),
    (
        "scenes/dawn.wav",
        include_bytes!("../../../../demo/scenes/dawn.wav"),
    ),
    (
        "scenes/model-brass.inc",
        include_bytes!("../../../../demo/scenes/model-brass.inc"),
    ),
];

/// The frame that is truncated on purpose.
const VICTIM: &str = "renders/dawn_day/beauty/v003/orr_dawn_day_dome_beauty_v003.0007.exr";
/// What the job file's path is without its passes.
const WITHOUT_PASS: &str = "{place.renders}/{shot}{?_{variant}}{?_{view}}/v{version:03}/{show}_{shot}{?_{variant}}{?_{view}}_{camera}_v{version:03}.{frame:04}.{ext}";
/// And with them again.
const WITH_PASS: &str = "{place.renders}/{shot}{?_{variant}}{?_{view}}/v{version:03}/{show}_{shot}{?_{variant}}{?_{view}}_{camera}_v{version:03}_{pass}.{frame:04}.{ext}";

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    let folder = arguments.folder;
    write_project(&folder)?;
    let mut guide = Guide {
        program: this_program::path().map_err(Trouble::outside("this program"))?,
        folder: folder.clone(),
        step: 0,
    };
    tell(&format!(
        "The demo project is in {TITLE}{}{TITLE:#}: {} and its scenes.",
        folder.display(),
        FILES[0].0
    ));

    guide.step(
        "Read what the paths turn into",
        "Before anything is rendered: where will the files be, and what will they be called?\n\
         Nobody edits names by hand; tokens make them. Here for one variant of one shot.",
    );
    guide.call(&["paths", "--shot", "dawn", "--variant", "night"], DONE)?;

    guide.step(
        "Check the job",
        "Collisions, lost alpha, missing scenes and programs: all that can be known beforehand.",
    );
    guide.call(&["check"], DONE)?;

    guide.step(
        "Read the command lines",
        "What would be started, word for word. Pasted into a shell it renders the same frames.",
    );
    guide.call(
        &["commands", "--variant", "day", "--output", "preview"],
        DONE,
    )?;

    guide.step(
        "Try it small",
        "The built-in preset `trial`: first, middle and last frame at an eighth of the size, in a\n\
         folder of its own, so that a trial never touches a final.",
    );
    guide.call(&["run", "--preset", "trial", "--output", "frames"], DONE)?;

    guide.step(
        "Render",
        "Each frame goes into a staging folder, is decoded, and only then gets its true name.",
    );
    guide.call(&["run"], DONE)?;

    guide.step(
        "Audit",
        "Is every frame there, whole, and of the right size, format, channels and bits?",
    );
    guide.call(&["audit"], DONE)?;

    guide.step(
        "A mistake in the job: a pass left out of the path",
        "mistake.toml is the same job with {pass} taken out of its path. Three passes would be\n\
         written over one another. `check` finds it and says how many files would be lost.",
    );
    let mistake = String::from_utf8_lossy(FILES[0].1).replace(
        "{place.renders}/{shot}{?_{variant}}{?_{view}}/{pass}/v{version:03}/{show}_{shot}{?_{variant}}{?_{view}}_{camera}_{pass}_v{version:03}.{frame:04}.{ext}",
        WITHOUT_PASS,
    );
    write_new(&folder.join("mistake.toml"), mistake.as_bytes())?;
    guide.call(&["check", "--job", "mistake.toml"], FOUND)?;
    guide.say("With the path that it advises, here given on the command line, all is well:");
    let mended = format!("output.frames.path={WITH_PASS}");
    guide.call(&["check", "--job", "mistake.toml", "--set", &mended], DONE)?;

    guide.step(
        "An accident on the disk: a truncated frame",
        "Half of one file is cut off, as after a power loss. It looks complete in the folder.",
    );
    let victim = folder.join(VICTIM);
    truncate(&victim)?;
    guide.call(&["audit", "--shot", "dawn"], FOUND)?;
    guide.say(
        "`run` sets the broken file aside, renders that one frame again, and keeps the others:",
    );
    guide.call(&["run", "--shot", "dawn"], DONE)?;
    guide.call(&["audit", "--shot", "dawn"], DONE)?;

    guide.step(
        "The same with a ray tracer",
        "raytraced.toml is a whole job in the short form, for POV-Ray (Debian's package povray).",
    );
    if truepath_runner::find_program("povray", Path::new("/")).is_some() {
        guide.call(&["run", "--job", "raytraced.toml"], DONE)?;
        guide.call(&["audit", "--job", "raytraced.toml"], DONE)?;
    } else {
        guide.say("It is not installed here, so this step is left out.");
    }

    guide.step(
        "The same with a program that is driven by a script",
        "scripted.toml is drawn by Python: the profile writes the script first, then runs it.",
    );
    if truepath_runner::find_program("python3", Path::new("/")).is_some() {
        guide.call(&["run", "--job", "scripted.toml"], DONE)?;
        guide.call(&["audit", "--job", "scripted.toml"], DONE)?;
    } else {
        guide.say("Python 3 is not installed here, so this step is left out.");
    }

    tell(&format!(
        "\n{GOOD}That was the demo.{GOOD:#} Look around in {}, change truepath.toml, and check again.",
        folder.display()
    ));
    Ok(ExitCode::from(DONE))
}

/// A line of the demo. Of output that cannot be written the commands tell that it calls.
fn tell(line: &str) {
    let _ = show::print(line);
}

/// Tells what is done and why, and calls this program as a user would.
struct Guide {
    program: PathBuf,
    folder: PathBuf,
    step: u32,
}

impl Guide {
    fn step(&mut self, title: &str, why: &str) {
        self.step += 1;
        tell(&format!("\n{TITLE}{}. {title}{TITLE:#}", self.step));
        self.say(why);
    }

    fn say(&self, text: &str) {
        tell(&format!("{FAINT}{text}{FAINT:#}"));
    }

    fn call(&self, arguments: &[&str], expected: u8) -> Result<(), Trouble> {
        let line = truepath_core::quote::posix_line("truepath", arguments.iter().copied());
        tell(&format!("\n$ {line}"));
        let status = Command::new(&self.program)
            .args(arguments)
            .current_dir(&self.folder)
            .status()
            .map_err(Trouble::outside("this program cannot be started"))?;
        if status.code() == Some(i32::from(expected)) {
            return Ok(());
        }
        Err(Trouble::Outside {
            what: format!("the demo went wrong at `{line}`"),
            error: io::Error::other(status.to_string()),
        })
    }
}

/// Writes the files; a folder with anything in it is left alone.
fn write_project(folder: &Path) -> Result<(), Trouble> {
    let refused = |error| Trouble::Outside {
        what: folder.display().to_string(),
        error,
    };
    match fs::read_dir(folder) {
        Ok(mut entries) => {
            if entries.next().is_some() {
                return Err(Trouble::Usage(format!(
                    "{} is not empty, and nothing in it is to be lost; name another folder",
                    folder.display()
                )));
            }
        }
        Err(error) if error.kind() == io::ErrorKind::NotFound => {}
        Err(error) => return Err(refused(error)),
    }
    fs::create_dir_all(folder.join("scenes")).map_err(refused)?;
    for (name, text) in FILES {
        write_new(&folder.join(name), text)?;
    }
    Ok(())
}

fn write_new(path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    use std::io::Write;
    let refused = |error| Trouble::Outside {
        what: path.display().to_string(),
        error,
    };
    let mut file = fs::File::create_new(path).map_err(refused)?;
    file.write_all(bytes).map_err(refused)
}

/// Cuts a file of the demo in half.
fn truncate(path: &Path) -> Result<(), Trouble> {
    let refused = |error| Trouble::Outside {
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
