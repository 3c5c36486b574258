//! A script for POSIX shells.

use std::fmt::Write;

use super::step::{Preparing, true_name};
use super::{About, Kind, NativeName, PROMISE, ScriptError, Step, Steps, WriteError, one_line};
use crate::frames::FrameSet;
use crate::quote::{posix, posix_line};
use crate::system::System;
use crate::template::PathPattern;

/// `sh`
pub(super) struct Shell;

impl Kind for Shell {
    fn word(&self) -> &'static str {
        "sh"
    }

    fn meaning(&self) -> &'static str {
        "A script for POSIX shells"
    }

    fn system(&self) -> Option<System> {
        None
    }

    fn write(
        &self,
        about: &About<'_>,
        steps: &Steps<'_>,
        out: &mut dyn Write,
    ) -> Result<(), WriteError> {
        writeln!(out, "#!/bin/sh")?;
        head(about, steps, out)?;
        out.write_str(FUNCTIONS)?;
        writeln!(out, "stop={}", u8::from(about.stop))?;
        writeln!(out, "all={}\n", steps.count())?;
        for (number, one) in (1..).zip(steps.iter(about)) {
            let one = one?;
            writeln!(
                out,
                "# {number} of {}: {}",
                steps.count(),
                one_line(&one.title)
            )?;
            step(&one, number, out)?;
        }
        foot(about, out)
    }
}

/// What the script is, as remarks.
pub(super) fn head(
    about: &About<'_>,
    steps: &Steps<'_>,
    out: &mut dyn Write,
) -> Result<(), WriteError> {
    let count = steps.count();
    writeln!(
        out,
        "# The {count} steps of {}, written by True Path.",
        one_line(about.job)
    )?;
    writeln!(out, "#")?;
    for line in PROMISE {
        writeln!(out, "# {line}")?;
    }
    Ok(writeln!(out)?)
}

/// Tells how it went, and runs what comes after.
pub(super) fn foot(about: &About<'_>, out: &mut dyn Write) -> Result<(), WriteError> {
    writeln!(out, "\nsummary")?;
    if let Some(then) = about.then {
        writeln!(out, "export done_steps failed_steps missing_frames\n{then}")?;
    }
    Ok(writeln!(
        out,
        "[ \"$failed_steps\" -eq 0 ] && [ \"$missing_frames\" -eq 0 ]"
    )?)
}

/// The functions that the steps are written in. `ln` without `-f` never replaces a file (POSIX).
pub(super) const FUNCTIONS: &str = include_str!("functions.sh");

/// One step.
pub(super) fn step(one: &Step, number: usize, out: &mut dyn Write) -> Result<(), WriteError> {
    if one.writes_elsewhere {
        return Err(beyond(one, "writes where its scene says").into());
    }
    write!(
        out,
        "if begin {number} {} {} {}",
        posix(&one.name),
        posix(&one.folder),
        posix(&one.staging)
    )?;
    for folder in &one.folders {
        write!(out, " {}", posix(folder))?;
    }
    writeln!(out, "; then")?;
    for placed in &one.placed {
        writeln!(
            out,
            "  wants {}",
            names(one, &placed.pattern, &placed.frames)?
        )?;
    }
    writeln!(out, "  if needed; then")?;
    if let Some(preparing) = &one.preparing {
        prepare(preparing, out)?;
    }
    for (name, target) in &one.orders.links {
        writeln!(
            out,
            "    ln -s {} \"$staging\"/{}",
            posix(target),
            posix(name)
        )?;
    }
    for (name, text) in &one.orders.files {
        writeln!(
            out,
            "    printf '%s' {} >\"$staging\"/{}",
            posix(text),
            posix(name)
        )?;
    }
    if let Some(folder) = &one.orders.folder {
        writeln!(out, "    work={}", posix(folder))?;
    }
    if let Some(script) = &one.set_up {
        writeln!(out, "    set_up={}", posix(script))?;
    }
    if !one.fine_exits.is_empty() {
        let codes: Vec<String> = one.fine_exits.iter().map(i64::to_string).collect();
        writeln!(out, "    fine='{}'", codes.join(" "))?;
    }
    if let Some((pattern, frames)) = &one.sources {
        writeln!(out, "    whole {}", names(one, pattern, frames)?)?;
    }
    writeln!(out, "    render {}", command(one))?;
    for placed in &one.placed {
        let native = match &placed.native {
            NativeName::One(name) => format!("one {} ''", posix(name)),
            NativeName::Digits(before, after) => {
                format!("digits {} {}", posix(before), posix(after))
            }
            NativeName::Any => "any '' ''".to_owned(),
        };
        writeln!(
            out,
            "    bring {native} {}",
            names(one, &placed.pattern, &placed.frames)?
        )?;
    }
    for (name, _) in one.orders.files.iter().chain(&one.orders.links) {
        writeln!(out, "    rm -f \"$staging\"/{}", posix(name))?;
    }
    writeln!(out, "    finish\n  fi\nfi")?;
    for placed in &one.placed {
        writeln!(
            out,
            "still {}",
            names(one, &placed.pattern, &placed.frames)?
        )?;
    }
    Ok(())
}

/// A true name and the frames: before, after, digits, then first, last and step of each strand.
fn names(one: &Step, pattern: &PathPattern, frames: &FrameSet) -> Result<String, ScriptError> {
    let Some((before, after, digits)) = true_name(pattern) else {
        return Err(beyond(one, "has the frame more than once in its paths"));
    };
    let mut text = format!("{} {} {digits}", posix(&before), posix(&after));
    text.push_str(&strands(frames));
    Ok(text)
}

fn strands(frames: &FrameSet) -> String {
    frames
        .strands()
        .iter()
        .map(|strand| {
            format!(
                " {} {} {}",
                strand.first(),
                strand.last(),
                strand.step().max(1)
            )
        })
        .collect()
}

/// The command of a step, with the variables of its environment before it.
fn command(one: &Step) -> String {
    let mut line = String::new();
    if !one.orders.env.is_empty() {
        line.push_str("env");
        for (key, value) in &one.orders.env {
            line.push(' ');
            line.push_str(&quoted(&format!("{key}={value}"), &one.staging));
        }
        line.push(' ');
    }
    line.push_str(&posix_line(&one.orders.program, []));
    for argument in &one.orders.arguments {
        line.push(' ');
        line.push_str(&quoted(argument, &one.staging));
    }
    line
}

/// A text as one word; its staging folder may have another number when the script runs.
fn quoted(text: &str, staging: &str) -> String {
    if !text.contains(staging) {
        return posix(text).into_owned();
    }
    let parts: Vec<String> = text
        .split(staging)
        .map(|part| match part {
            "" => String::new(),
            part => posix(part).into_owned(),
        })
        .collect();
    parts.join("\"$staging\"")
}

fn prepare(preparing: &Preparing, out: &mut dyn Write) -> Result<(), WriteError> {
    let words = preparing.arguments.iter().map(String::as_str);
    let keep = if preparing.keep { "keep" } else { "remove" };
    Ok(writeln!(
        out,
        "    prepare {} {} {keep} {}",
        posix(&preparing.folder),
        posix(&preparing.result),
        posix_line(&preparing.program, words)
    )?)
}

fn beyond(one: &Step, needs: &'static str) -> ScriptError {
    ScriptError::Beyond {
        engine: one.engine.clone(),
        needs,
        shell: "a script",
    }
}
