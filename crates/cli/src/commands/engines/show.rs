//! Explains a profile, argument by argument.

use std::io::{self, Write};
use std::process::ExitCode;

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::command::{Invocation, map_row};
use truepath_core::deliverable::{Selection, Surroundings, expand};
use truepath_core::job::{no_files, read};
use truepath_core::nearest::advice;
use truepath_core::picture::FORMATS;
use truepath_core::plan::{PlannedProcess, whole_plan};
use truepath_core::profile::{Makes, Profile, Profiles};
use truepath_core::quote::posix_line;
use truepath_runner::load::profiles;

use super::folder;
use crate::error::{CommandError, DONE};
use crate::profiles::SHIPPED;
use crate::show::{FAINT, TITLE};

pub(super) fn show(name: &str) -> Result<ExitCode, CommandError> {
    let folder = folder()?;
    let all = profiles(&folder, SHIPPED)?;
    let Some(profile) = all.find(name) else {
        let names: Vec<&str> = all.names().collect();
        let advice = advice(name, &names);
        return Err(CommandError::Usage(format!(
            "there is no engine `{name}`: {advice}"
        )));
    };
    let mut out = crate::show::out();
    let what = match profile.makes {
        Makes::Pictures => format!("renders {}", profile.takes.meaning()),
        Makes::Movies => "puts movies together".to_owned(),
        Makes::Layers => "makes files of the layers of others".to_owned(),
    };
    writeln!(
        out,
        "{TITLE}{name}{TITLE:#} {what}; its program is {}",
        profile.program
    )?;
    let working = match &profile.folder {
        Some(folder) => format!("in {folder}"),
        None => "in a staging folder of its own".to_owned(),
    };
    writeln!(out, "\nIt is started {working}, with")?;
    for one in profile.explain() {
        let remark = if one.changes_picture {
            ""
        } else {
            "  (does not change the picture)"
        };
        writeln!(
            out,
            "\n  {TITLE}{}{TITLE:#}{FAINT}{remark}{FAINT:#}",
            one.put
        )?;
        if let Some(each) = one.each {
            writeln!(out, "      {each}")?;
        }
        if !one.when.is_empty() {
            writeln!(out, "      when {}", one.when)?;
        }
        for (token, meaning) in one.tokens {
            writeln!(out, "      {{{token}}}: {meaning}")?;
        }
    }
    more(&mut out, &profile)?;
    match sample(&profile, &all) {
        Some(line) => writeln!(out, "\nFor example:\n\n  {line}")?,
        None => writeln!(
            out,
            "\nNo sample can be made of it: it refuses every format."
        )?,
    }
    out.flush()?;
    Ok(ExitCode::from(DONE))
}

/// What a profile says besides its arguments.
fn more(out: &mut impl Write, profile: &Profile) -> io::Result<()> {
    for file in &profile.files {
        writeln!(
            out,
            "\nBefore that, {} is written into its folder.",
            file.name
        )?;
    }
    for (name, target) in &profile.links {
        writeln!(out, "\nBefore that, {name} is linked to {target}.")?;
    }
    if let Some(names) = &profile.scene_file_names {
        let whose = if names.follow {
            "its scenes, and in the files that they name"
        } else {
            "its scenes"
        };
        writeln!(out, "\nThe files that it needs are found in {whose}.")?;
    }
    if let Some(step) = &profile.prepare {
        let keep = if step.keep {
            "kept"
        } else {
            "removed at the end"
        };
        writeln!(
            out,
            "\nOnce for each scene, {} is made of it, and {keep}.",
            step.makes
        )?;
    }
    for file in &profile.frame_files {
        writeln!(out, "\nEach frame is made of a file of its own: {file}")?;
    }
    if profile.error_fails {
        writeln!(out, "\nA frame fails of which it reports an error.")?;
    }
    if !profile.settings.is_empty() {
        writeln!(out, "\nSettings that it knows:")?;
        for setting in &profile.settings {
            writeln!(out, "  {} = {}", setting.name, setting.wanted())?;
        }
    }
    if let Some(count) = profile.max_processes {
        writeln!(out, "\nAt most {count} of its processes may run at once.")?;
    }
    if !profile.maps.is_empty() {
        writeln!(out, "\nIts own words:")?;
        for table in &profile.maps {
            writeln!(out, "  {} by {}", table.name, table.by.join(" and "))?;
            for (row, word) in &table.rows {
                let word = if word.is_empty() { "nothing" } else { word };
                writeln!(out, "    {row}: {word}")?;
            }
        }
    }
    Ok(())
}

/// A command line that the profile makes of a made-up job.
fn sample(profile: &Profile, all: &Profiles) -> Option<String> {
    let around = Surroundings::of_folder("/show", all.clone());
    let scene = profile.scenes.first().map_or("scene", String::as_str);
    FORMATS.iter().find_map(|format| {
        let extension = format.extensions[0];
        let text = match profile.makes {
            Makes::Movies => format!(
                "[project]\nfps = 24\nsize = \"hd\"\n[shot.dawn]\nscene = \"dawn.scene\"\nframes = \"1-48\"\n[output.o]\n\
                 path = \"r/{{shot}}.{{frame:04}}.{extension}\"\nrun = [\"-\", \"{{frame}}\"]\n[output.m]\npath = \"r/{{shot}}.mkv\"\n\
                 movie = {{ from = \"o\", codec = \"mjpeg\", encoder = \"{}\" }}\n",
                profile.name
            ),
            Makes::Layers => format!(
                "[project]\npasses = [\"beauty\", \"depth\"]\n[shot.dawn]\nscene = \"dawn.scene\"\nframes = \"1-48\"\n[output.o]\n\
                 path = \"r/{{shot}}_{{pass}}.{{frame:04}}.{extension}\"\nrun = [\"-\", \"{{frame}}\", \"{{pass}}\"]\n[output.l]\n\
                 path = \"r/{{shot}}.{{frame:04}}.{extension}\"\nfrom = \"o\"\nlayers = {{ all = [\"beauty\", \"depth\"] }}\n"
            ),
            Makes::Pictures => format!(
                "scene = \"dawn.{scene}\"\nframes = \"1-48\"\nsize = \"hd\"\ncamera = \"dome\"\nfps = 24\nengine = \"{}\"\n\
                 path = \"r/{{shot}}.{{frame:04}}.{extension}\"\n",
                profile.name
            ),
        };
        let job = read("sample", &text, &[], &mut no_files).job;
        let expansion = expand(&job, &around, &Selection::default());
        let plan = whole_plan(&expansion);
        let is_of_profile = |planned: &&PlannedProcess| {
            planned.first(&expansion.deliverables).common.engine.name == profile.name
        };
        let planned = plan.iter().find(is_of_profile)?;
        let one = planned.first(&expansion.deliverables);
        let alone = AtLeastOne::one(one);
        let takes = profile.maps.iter().all(|table| {
            let row = map_row(profile, one, &table.name);
            row.is_none_or(|(asked, word)| asked.is_empty() || word.is_some())
        });
        if !takes {
            return None;
        }
            let invocation = Invocation {
            profile,
            deliverables: &alone,
            frames: &planned.frames,
            staging: "/show/r/staging",
            prepared: profile.prepare.as_ref().map(|_| "/show/prepared"),
            threads: None,
        };
        let spec = invocation.spec().ok()?;
        let program = if profile.is_this_program() { "truepath" } else { &spec.program };
        Some(posix_line(program, spec.arguments.iter().map(String::as_str)))
    })
}
