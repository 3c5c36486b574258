//! A script for PowerShell.
//!
//! Between single quotes every character but the quote stands for itself, and a quote is doubled.
//! Other quotation marks of Unicode count as single quotes too, and programs get empty arguments,
//! double quotes and trailing backslashes differently from version to version. So only printable
//! ASCII without the double quote is let through, and empty arguments are refused.

use std::fmt::{self, Write};

use super::batch::may_be_batch_file;
use super::{
    ScriptError, ScriptKind, ScriptOptions, ScriptOutline, Step, StepFiles, WriteError,
    WrittenName, one_line, remarks,
};
use crate::system::System;

/// `powershell`
pub(super) struct PowerShell;

const SHELL: &str = "PowerShell";

impl ScriptKind for PowerShell {
    fn word(&self) -> &'static str {
        "powershell"
    }

    fn meaning(&self) -> &'static str {
        "A script for PowerShell, on Windows"
    }

    fn system(&self) -> Option<System> {
        Some(System::Windows)
    }

    fn head(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result {
        remarks(("#", "#\n"), &one_line(about.job), outline, out)?;
        out.write_str(FUNCTIONS)?;
        writeln!(
            out,
            "$Stop = ${}\n",
            if about.stop { "true" } else { "false" }
        )
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
        outline: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result {
        writeln!(
            out,
            "\n\"$script:Done of {} steps done, $script:Before there before, $script:Failed failed, $script:Lost files missing\"",
            outline.count
        )?;
        if let Some(then) = about.then {
            writeln!(out, "{then}")?;
        }
        writeln!(out, "if ($script:Failed -or $script:Lost) {{ exit 1 }}")
    }
}

/// The functions that the steps are written in. `[IO.File]::Move` never replaces a file.
const FUNCTIONS: &str = include_str!("functions.ps1");

fn step(one: &Step, number: usize, out: &mut dyn Write) -> Result<(), WriteError> {
    one.is_plain(SHELL)?;
    // PowerShell hands such words to a batch file without quotes, and the command processor reads them.
    if may_be_batch_file(&one.spec.program)
        && let Some(text) = one
            .words()
            .find(|text| text.contains(['&', '|', '<', '>', '^', '%']))
    {
        return Err(ScriptError::Character {
            shell: SHELL,
            character: "one of & | < > ^ % in a command that may be a batch file".to_owned(),
            text: text.to_owned(),
            advice: "name the program with its extension .exe, if it has that",
        }
        .into());
    }
    let mut files = Vec::new();
    if let Some((pattern, frames)) = &one.sources {
        // A movie of a sequence that is not whole is left out, and counts as missing.
        let Some(first) = frames.first() else {
            return Ok(());
        };
        let paths: Result<Vec<String>, ScriptError> = if pattern.has_frame() {
            frames
                .iter()
                .map(|frame| literal(&pattern.path(frame)))
                .collect()
        } else {
            Ok(vec![literal(&pattern.path(first))?])
        };
        writeln!(out, "$script:Sources = @({})", paths?.join(", "))?;
    } else {
        writeln!(out, "$script:Sources = @()")?;
    }
    for placed in one.placed.iter() {
        files.push(file(one, placed)?);
    }
    writeln!(
        out,
        "Step {number} {} {} {} @(",
        literal(&one.name)?,
        literal(&one.folder)?,
        literal(&one.staging)?
    )?;
    writeln!(out, "  {}", files.join(",\n  "))?;
    write!(out, ") @(")?;
    for (index, folder) in one.folders.iter().enumerate() {
        let comma = if index == 0 { "" } else { ", " };
        write!(out, "{comma}{}", literal(folder)?)?;
    }
    write!(
        out,
        ") @({}) {{",
        one.success_codes
            .iter()
            .map(i64::to_string)
            .collect::<Vec<_>>()
            .join(", ")
    )?;
    for (name, value) in &one.spec.env {
        write!(
            out,
            " [Environment]::SetEnvironmentVariable({}, {});",
            literal(name)?,
            literal(value)?
        )?;
    }
    if let Some(folder) = &one.spec.folder {
        write!(out, " Set-Location -LiteralPath {};", literal(folder)?)?;
    }
    write!(out, " &")?;
    for text in one.words() {
        if text.is_empty() || text.ends_with('\\') {
            return Err(refused(text, "an empty argument or one that ends in a backslash").into());
        }
        // The staging folder may have a number of its own.
        match text.split_once(&one.staging) {
            Some((before, after)) => {
                write!(
                    out,
                    " ({} + $Staging + {})",
                    literal(before)?,
                    literal(after)?
                )?;
            }
            None => write!(out, " {}", literal(text)?)?,
        }
    }
    Ok(writeln!(out, " }}")?)
}

/// What a deliverable's files are called, there and here.
fn file(one: &Step, placed: &StepFiles) -> Result<String, ScriptError> {
    let (before, after, digits) = one.true_name(&placed.pattern, SHELL)?;
    let (how, head, tail) = match &placed.written {
        WrittenName::One(name) => ("one", name.as_str(), ""),
        WrittenName::Digits(head, tail) => ("digits", head.as_str(), tail.as_str()),
        WrittenName::Any if one.frames.count() == 1 => ("any", "", ""),
        WrittenName::Any => {
            return Err(one.beyond("names its files in a way that no profile describes", SHELL));
        }
    };
    let ranges: Vec<String> = one
        .frames
        .ranges()
        .iter()
        .map(|range| {
            format!(
                "@({}, {}, {})",
                range.first(),
                range.last(),
                range.step().max(1)
            )
        })
        .collect();
    Ok(format!(
        "@{{ How = '{how}'; Head = {}; Tail = {}; Before = {}; After = {}; Digits = {digits}; Ranges = @({}{}) }}",
        literal(head)?,
        literal(tail)?,
        literal(&before)?,
        literal(&after)?,
        // A list of one list would be taken for that list.
        if ranges.len() == 1 { "," } else { "" },
        ranges.join(", ")
    ))
}

fn refused(text: &str, character: &str) -> ScriptError {
    ScriptError::Character {
        shell: SHELL,
        character: character.to_owned(),
        text: text.to_owned(),
        advice: "use another value there, or a batch file",
    }
}

/// A text between single quotes.
fn literal(text: &str) -> Result<String, ScriptError> {
    match text.chars().find(|c| !matches!(c, ' '..='~') || *c == '"') {
        Some('"') => Err(refused(text, "a double quote")),
        Some(other) => Err(refused(text, &format!("{other:?}"))),
        None => Ok(format!("'{}'", text.replace('\'', "''"))),
    }
}
