//! A script for POSIX shells.

use std::fmt::{self, Write};

use super::step::Preparing;
use super::{
    ScriptError, ScriptKind, ScriptOptions, ScriptOutline, Step, WriteError, WrittenName, one_line,
    remarks,
};
use crate::frames::FrameSet;
use crate::quote::{posix, posix_line};
use crate::system::System;
use crate::template::PathPattern;

/// `sh`
pub(super) struct Shell;

impl ScriptKind for Shell {
    fn word(&self) -> &'static str {
        "sh"
    }

    fn meaning(&self) -> &'static str {
        "A script for POSIX shells"
    }

    fn system(&self) -> Option<System> {
        None
    }

    fn head(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result {
        head(about, outline, out)?;
        out.write_str(FUNCTIONS)?;
        writeln!(out, "stop={}", u8::from(about.stop))?;
        writeln!(out, "all={}\n", outline.count)
    }

    fn step(
        &self,
        _: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        number: usize,
        one: &Step,
        out: &mut dyn Write,
    ) -> Result<(), WriteError> {
        writeln!(
            out,
            "# {number} of {}: {}",
            outline.count,
            one_line(&one.title)
        )?;
        step(one, number, out)
    }

    fn foot(
        &self,
        about: &ScriptOptions<'_>,
        _: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result {
        writeln!(out, "\nsummary")?;
        if let Some(then) = about.then {
            writeln!(out, "export done_steps failed_steps missing_frames\n{then}")?;
        }
        writeln!(
            out,
            "[ \"$failed_steps\" -eq 0 ] && [ \"$missing_frames\" -eq 0 ]"
        )
    }
}

/// What the script is, as remarks.
pub(super) fn head(
    about: &ScriptOptions<'_>,
    outline: &ScriptOutline,
    out: &mut dyn Write,
) -> fmt::Result {
    writeln!(out, "#!/bin/sh")?;
    remarks(("#", "#\n"), &one_line(about.job), outline, out)?;
    writeln!(out)
}

/// The functions that the steps are written in. `ln` without `-f` never replaces a file (POSIX).
pub(super) const FUNCTIONS: &str = include_str!("functions.sh");

/// One step.
pub(super) fn step(one: &Step, number: usize, out: &mut dyn Write) -> Result<(), WriteError> {
    if one.writes_elsewhere {
        return Err(one.beyond("writes where its scene says", "a script").into());
    }
    write!(
        out,
        "if begin {number} {} {} {}",
        posix(&one.name),
        posix(&one.folder),
        posix(&one.staging)
    )?;
    for folder in one.folders.iter() {
        write!(out, " {}", posix(folder))?;
    }
    writeln!(out, "; then")?;
    let mut all = Vec::with_capacity(one.placed.len());
    for placed in one.placed.iter() {
        all.push(names(one, &placed.pattern, &one.frames)?);
    }
    for names in &all {
        writeln!(out, "  wants {names}")?;
    }
    writeln!(out, "  if needed; then")?;
    if let Some(preparing) = &one.preparing {
        prepare(preparing, out)?;
    }
    for (name, target) in &one.spec.links {
        writeln!(
            out,
            "    ln -s {} \"$staging\"/{}",
            posix(target),
            posix(name)
        )?;
    }
    for (name, text) in &one.spec.files {
        writeln!(
            out,
            "    printf '%s' {} >\"$staging\"/{}",
            posix(text),
            posix(name)
        )?;
    }
    if let Some(folder) = &one.spec.folder {
        writeln!(out, "    work={}", posix(folder))?;
    }
    if let Some(script) = &one.set_up {
        writeln!(out, "    set_up={}", posix(script))?;
    }
    if !one.success_codes.is_empty() {
        let codes: Vec<String> = one.success_codes.iter().map(i64::to_string).collect();
        writeln!(out, "    fine='{}'", codes.join(" "))?;
    }
    if one.in_order {
        writeln!(out, "    in_order=1")?;
    }
    if let Some((pattern, frames)) = &one.sources {
        writeln!(out, "    whole {}", names(one, pattern, frames)?)?;
    }
    writeln!(out, "    render {}", command(one))?;
    for (placed, names) in one.placed.iter().zip(&all) {
        match &placed.written {
            WrittenName::One(name) => write!(out, "    bring one {} ''", posix(name))?,
            WrittenName::Digits(before, after) => {
                write!(out, "    bring digits {} {}", posix(before), posix(after))?;
            }
            WrittenName::Any => out.write_str("    bring any '' ''")?,
        }
        writeln!(out, " {names}")?;
    }
    for (name, _) in one.spec.files.iter().chain(&one.spec.links) {
        writeln!(out, "    rm -f \"$staging\"/{}", posix(name))?;
    }
    writeln!(out, "    finish\n  fi\nfi")?;
    for names in &all {
        writeln!(out, "still {names}")?;
    }
    Ok(())
}

/// A true name and the frames: before, after, digits, then first, last and step of each range.
fn names(one: &Step, pattern: &PathPattern, frames: &FrameSet) -> Result<String, ScriptError> {
    let (before, after, digits) = one.true_name(pattern, "a script")?;
    let mut text = format!("{} {} {digits}", posix(&before), posix(&after));
    text.push_str(&ranges(frames));
    Ok(text)
}

fn ranges(frames: &FrameSet) -> String {
    frames
        .ranges()
        .iter()
        .map(|range| {
            format!(
                " {} {} {}",
                range.first(),
                range.last(),
                range.step().max(1)
            )
        })
        .collect()
}

/// The command of a step, with the variables of its environment before it.
fn command(one: &Step) -> String {
    let mut line = String::new();
    if !one.spec.env.is_empty() {
        line.push_str("env");
        for (key, value) in &one.spec.env {
            line.push(' ');
            line.push_str(&quoted(&format!("{key}={value}"), &one.staging));
        }
        line.push(' ');
    }
    line.push_str(&posix_line(&one.spec.program, []));
    for argument in &one.spec.arguments {
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
