//! `truepath commands`: the command lines that a run would start, to read or as a script.

use std::io::{self, Write};
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Duration;

use clap::builder::PossibleValue;
use clap::{Args, ValueEnum};
use truepath_core::command::{Invocation, Overrides};
use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::finding::count;
use truepath_core::job::{Job, Key};
use truepath_core::plan::{PlannedProcess, whole_plan};
use truepath_core::profile::Profile;
use truepath_core::script::{
    Cluster, KINDS, ScriptKind, ScriptOptions, ScriptOutline, Step, WriteError, one_line, steps,
};
use truepath_core::system::System;
use truepath_runner::Loaded;
use truepath_runner::find_program;
use truepath_runner::in_turns::in_turns;

use crate::error::{CommandError, DONE, FOUND};
use crate::findings::{findings, has_errors};
use crate::job_arguments::{Chosen, ForSystem, NamedJob};
use crate::new_file::{NewFile, taken};
use crate::show::finding::print_all;
use crate::this_program;

/// Print the exact command lines, to read, or as a script
///
/// To read, each line comes with what it sets and what it leaves to the scene. As a
/// script, the lines run without True Path: each renders into a new folder of its own and brings
/// its files to the true names, never onto a file that is there, keeps a log, and says at the end
/// what is missing. Its head says what only a run does: it decodes every picture.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath commands --shot dawn\n  truepath commands --as sh --to night.sh && sh night.sh\n  truepath commands --as batch --for windows --to night.bat\n  truepath commands --as slurm --set chunk=8 --to night.sh && sh night.sh"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// As what the command lines are printed
    #[arg(long = "as", value_name = "KIND", default_value = "text")]
    kind: Form,
    #[command(flatten)]
    system: ForSystem,
    /// Write the script to a new file, in place of standard output
    #[arg(long, value_name = "FILE")]
    to: Option<PathBuf>,
    /// A line of the script's own shell to run at the end, whatever happened
    #[arg(long, value_name = "COMMAND")]
    then: Option<String>,
    /// Show every finding, also those of one cause
    #[arg(long)]
    all: bool,
    /// Stop after the first step that fails; else the others go on
    #[arg(long)]
    stop_on_failure: bool,
}

/// To be read, or one of the kinds of scripts.
#[derive(Clone)]
struct Form(Option<&'static dyn ScriptKind>);

impl std::fmt::Debug for Form {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str(self.0.map_or("text", |kind| kind.word()))
    }
}

impl ValueEnum for Form {
    fn value_variants<'a>() -> &'a [Self] {
        const FORMS: [Form; KINDS.len() + 1] = {
            let mut forms = [const { Form(None) }; KINDS.len() + 1];
            let mut index = 0;
            while index < KINDS.len() {
                forms[index + 1] = Form(Some(KINDS[index]));
                index += 1;
            }
            forms
        };
        &FORMS
    }

    fn to_possible_value(&self) -> Option<PossibleValue> {
        Some(match self.0 {
            None => PossibleValue::new("text").help("To be read"),
            Some(kind) => PossibleValue::new(kind.word()).help(kind.meaning()),
        })
    }
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let kind = arguments.kind.0;
    let system = arguments
        .system
        .system
        .or(kind.and_then(ScriptKind::system));
    let chosen = arguments.job.job().load_for(system)?;
    let system = chosen.loaded.surroundings.system;
    let findings = findings(&chosen);
    print_all(
        &mut anstream::stderr(),
        &chosen.loaded.job.sources,
        &findings,
        arguments.all,
    );
    if has_errors(&findings) {
        return Ok(ExitCode::from(FOUND));
    }
    let expansion = &chosen.chosen;
    let plan = whole_plan(expansion);
    let programs = programs(expansion, &chosen)?;
    let about = ScriptOptions {
        job: &chosen.name,
        system,
        programs: &programs,
        stop: arguments.stop_on_failure,
        then: arguments.then.as_deref(),
        cluster: cluster(&chosen.loaded.job, expansion),
    };
    let script = |out: &mut dyn Write| match kind {
        None => read_out(&mut io::BufWriter::new(out), &about, expansion, &plan),
        Some(kind) => write(kind, &about, expansion, &plan, out),
    };
    match &arguments.to {
        None => script(&mut io::stdout().lock())?,
        Some(path) => {
            // Half a script is worse than none.
            let mut file = NewFile::begin(path).map_err(taken(path))?;
            script(file.file())?;
            file.finish().map_err(taken(path))?;
        }
    }
    Ok(ExitCode::from(DONE))
}

/// A command line of each sequence and movie that would be started first, with what it makes.
pub(super) fn first_lines(chosen: &Chosen) -> Result<Vec<(String, String)>, CommandError> {
    let expansion = &chosen.chosen;
    let mut plan = whole_plan(expansion);
    let mut seen = std::collections::BTreeSet::new();
    plan.retain(|one| seen.insert(*one.deliverables.first()));
    let programs = programs(expansion, chosen)?;
    let about = ScriptOptions {
        job: &chosen.name,
        system: chosen.loaded.surroundings.system,
        programs: &programs,
        stop: false,
        then: None,
        cluster: Cluster::default(),
    };
    steps(expansion, &plan, &about)
        .map(|step| {
            let step =
                step.map_err(|error| CommandError::Usage(WriteError::from(error).to_string()))?;
            let arguments = step.spec.arguments.iter().map(String::as_str);
            let command = truepath_core::quote::posix_line(&step.spec.program, arguments);
            Ok((step.title.clone(), command))
        })
        .collect()
}

/// The script of a bundle, of such a kind, with the programs called as their profiles say.
pub(super) fn script_of_bundle(
    loaded: &Loaded,
    expansion: &Expansion,
    kind: &str,
) -> Result<String, CommandError> {
    let found = KINDS.iter().find(|known| known.word() == kind);
    let kind = found.ok_or_else(|| CommandError::Usage(format!("there is no kind `{kind}`")))?;
    let plan = whole_plan(expansion);
    let this = (Profile::THIS_PROGRAM.to_owned(), "truepath".to_owned());
    let about = ScriptOptions {
        job: "truepath.toml",
        system: loaded.surroundings.system,
        programs: &[this],
        stop: false,
        then: None,
        cluster: Cluster::default(),
    };
    let mut text = Vec::new();
    write(*kind, &about, expansion, &plan, &mut text)?;
    Ok(String::from_utf8_lossy(&text).into_owned())
}

/// So many steps are written at a time.
const AT_A_TIME: usize = 512;

/// Writes a script; the steps are worked out on several cores, and handed on in order.
fn write(
    kind: &dyn ScriptKind,
    about: &ScriptOptions<'_>,
    expansion: &Expansion,
    plan: &[PlannedProcess],
    out: &mut dyn Write,
) -> Result<(), CommandError> {
    let refused = |error: WriteError| CommandError::Usage(error.to_string());
    let outline = ScriptOutline::of(expansion, plan);
    let part = |(number, chunk): (usize, &[PlannedProcess])| -> Result<String, WriteError> {
        let mut text = String::new();
        for (number, one) in (number * AT_A_TIME + 1..).zip(steps(expansion, chunk, about)) {
            kind.step(about, &outline, number, &one?, &mut text)?;
        }
        Ok(text)
    };
    let mut text = String::new();
    kind.head(about, &outline, &mut text)
        .map_err(|error| refused(error.into()))?;
    out.write_all(text.as_bytes())?;
    let mut chunks = plan.chunks(AT_A_TIME).enumerate();
    in_turns(
        || Ok(chunks.next()),
        || (),
        |(), chunk| part(chunk),
        |part| Ok::<(), CommandError>(out.write_all(part.map_err(refused)?.as_bytes())?),
    )?;
    text.clear();
    kind.foot(about, &outline, &mut text)
        .map_err(|error| refused(error.into()))?;
    out.write_all(text.as_bytes())?;
    Ok(out.flush()?)
}

/// What programs are called in a script.
fn programs(expansion: &Expansion, chosen: &Chosen) -> Result<Vec<(String, String)>, CommandError> {
    let mut programs: Vec<(String, String)> = Vec::new();
    for one in &expansion.deliverables {
        let profile = &one.common.engine;
        let step = profile.prepare.as_ref();
        let own = [
            Some(&profile.program),
            step.and_then(|step| step.program.as_ref()),
        ];
        for name in own.into_iter().flatten() {
            if programs.iter().all(|(known, _)| known != name) {
                programs.push((name.clone(), called(name, chosen)?));
            }
        }
    }
    Ok(programs)
}

/// A program as a shell in any folder finds it.
fn called(name: &str, chosen: &Chosen) -> Result<String, CommandError> {
    let here = System::from_name(std::env::consts::OS) == Some(chosen.loaded.surroundings.system);
    if name == Profile::THIS_PROGRAM {
        return if here {
            this_program::word().map_err(CommandError::outside("this program"))
        } else {
            Ok("truepath".to_owned())
        };
    }
    if !name.contains('/') || !here {
        return Ok(name.to_owned());
    }
    let found = find_program(name, &chosen.loaded.folder);
    Ok(found.map_or_else(|| name.to_owned(), |path| path.display().to_string()))
}

/// What the job asks of a cluster. An engine that may run only so often at once limits it too.
pub(super) fn cluster(job: &Job, expansion: &Expansion) -> Cluster {
    let text = |key| job.get::<String>(key);
    let licences = expansion
        .deliverables
        .iter()
        .filter_map(|one| one.common.engine.max_processes);
    Cluster {
        partition: text(Key::SlurmPartition),
        seconds: job
            .get::<Duration>(Key::SlurmTime)
            .map(|time| time.as_secs().max(1)),
        memory: text(Key::SlurmMemory),
        max_tasks: licences
            .chain(job.get(Key::SlurmMaxTasks).filter(|most| *most > 0))
            .min(),
    }
}

/// The command lines for people: what each makes, what it says, and what it leaves open.
fn read_out(
    out: &mut impl Write,
    about: &ScriptOptions<'_>,
    expansion: &Expansion,
    plan: &[PlannedProcess],
) -> Result<(), CommandError> {
    writeln!(
        out,
        "# The {} of {}, in order. `--as sh` makes a script of them that brings\n\
         # the files to their true names; `truepath run` verifies them too.",
        count(plan.len() as u64, "command line", "command lines"),
        one_line(about.job)
    )?;
    let all = &expansion.deliverables;
    for (number, (planned, one)) in plan.iter().zip(steps(expansion, plan, about)).enumerate() {
        let one = one.map_err(|error| CommandError::Usage(WriteError::from(error).to_string()))?;
        writeln!(
            out,
            "\n# {} of {}: {}",
            number + 1,
            plan.len(),
            one_line(&one.title)
        )?;
        let overrides = overrides(all, planned);
        remark(out, "set", &set_values(&overrides))?;
        remark(
            out,
            "left to the scene or the engine",
            &overrides.left_to_scene.join(", "),
        )?;
        remark(
            out,
            "not passed to the engine",
            &overrides.not_passed.join(", "),
        )?;
        writeln!(out, "{}", line(&one))?;
    }
    out.flush()?;
    Ok(())
}

fn remark(out: &mut impl Write, what: &str, text: &str) -> io::Result<()> {
    if text.is_empty() {
        return Ok(());
    }
    writeln!(out, "#   {what}: {}", one_line(text))
}

fn set_values(overrides: &Overrides) -> String {
    let values: Vec<String> = overrides
        .set
        .iter()
        .map(|(name, value)| format!("{name} {value}"))
        .collect();
    values.join(", ")
}

fn overrides(all: &[Deliverable], planned: &PlannedProcess) -> Overrides {
    let deliverables = planned.members(all);
    let one = *deliverables.first();
    if one.is_assembled() {
        return Overrides::default();
    }
    let invocation = Invocation::planned(&one.common.engine, &deliverables, &planned.frames);
    invocation.overrides()
}

/// The command as one line to paste: a new folder of its own, what is laid into it, the command.
fn line(one: &Step) -> String {
    use truepath_core::quote::{posix, posix_line};
    let (folder, staging) = (posix(&one.folder), posix(&one.staging));
    let mut text = format!("(mkdir -p {folder} && mkdir {staging} && cd {staging}");
    for (name, target) in &one.spec.links {
        text.push_str(&format!(" && ln -s {} {}", posix(target), posix(name)));
    }
    for (name, content) in &one.spec.files {
        text.push_str(&format!(
            " && printf %s {} >{}",
            posix(content),
            posix(name)
        ));
    }
    if let Some(work) = &one.spec.folder {
        text.push_str(&format!(" && cd {}", posix(work)));
    }
    let arguments = one.spec.arguments.iter().map(String::as_str);
    let command = if one.spec.env.is_empty() {
        posix_line(&one.spec.program, arguments)
    } else {
        let env: Vec<String> = one
            .spec
            .env
            .iter()
            .map(|(key, value)| format!("{key}={value}"))
            .collect();
        let program = [one.spec.program.as_str()];
        let words = env
            .iter()
            .map(String::as_str)
            .chain(program)
            .chain(arguments);
        posix_line("env", words)
    };
    format!("{text} && {command})")
}
