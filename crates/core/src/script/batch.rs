//! A script for the command processor of Windows.
//!
//! Between quotes its special characters stand for themselves, but for `%`, which is doubled, and
//! for the quote itself, which has no safe form; a line end ends the command. So these two are
//! refused; and since not every command processor leaves a `%` alone when it comes back from a
//! variable, or when there are two in a line, such are refused too. How bytes beyond ASCII are read depends on the code page, so they are refused too.
//! Programs take their command line apart by the rules of `CommandLineToArgvW`, where only
//! backslashes before a quote have to be doubled.

use std::fmt::{self, Write};

use super::{
    ScriptError, ScriptKind, ScriptOptions, ScriptOutline, Step, StepFiles, WriteError,
    WrittenName, one_line, remarks,
};
use crate::system::System;

/// `batch`
pub(super) struct Batch;

const SHELL: &str = "a batch file";

impl ScriptKind for Batch {
    fn word(&self) -> &'static str {
        "batch"
    }

    fn meaning(&self) -> &'static str {
        "A batch file for Windows"
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
        let mut text = String::from("@echo off\nsetlocal DisableDelayedExpansion\n");
        remarks(("rem", ""), &remark(about.job), outline, &mut text)?;
        for counter in ["DONE", "FAILED", "BEFORE", "LOST"] {
            writeln!(text, "set \"TP_{counter}=0\"")?;
        }
        hand_over(&text, out)
    }

    fn step(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        number: usize,
        one: &Step,
        out: &mut dyn Write,
    ) -> Result<(), WriteError> {
        let mut text = String::new();
        let count = outline.count;
        writeln!(text, "\nrem {number} of {count}: {}", remark(&one.title))?;
        step(one, number, about, &mut text)?;
        Ok(hand_over(&text, out)?)
    }

    fn foot(
        &self,
        about: &ScriptOptions<'_>,
        outline: &ScriptOutline,
        out: &mut dyn Write,
    ) -> fmt::Result {
        let mut text = String::from("\n:summary\n");
        writeln!(
            text,
            "echo %TP_DONE% of {} steps done, %TP_BEFORE% there before, %TP_FAILED% failed, %TP_LOST% files missing",
            outline.count
        )?;
        if let Some(then) = about.then {
            writeln!(text, "{then}")?;
        }
        text.push_str("if not \"%TP_FAILED%%TP_LOST%\"==\"00\" exit /b 1\nexit /b 0\n");
        text.push_str(FUNCTIONS);
        hand_over(&text, out)
    }
}

/// Lines end as Windows ends them.
fn hand_over(text: &str, out: &mut dyn Write) -> fmt::Result {
    out.write_str(&text.replace('\n', "\r\n"))
}

fn remark(text: &str) -> String {
    one_line(text).replace('%', "%%")
}

/// The subroutines. `ren` never replaces a file.
const FUNCTIONS: &str = include_str!("functions.bat");

fn step(
    one: &Step,
    number: usize,
    about: &ScriptOptions<'_>,
    out: &mut String,
) -> Result<(), WriteError> {
    one.is_plain(SHELL)?;
    if about.stop {
        out.push_str("if not \"%TP_FAILED%\"==\"0\" goto summary\n");
    }
    out.push_str("setlocal DisableDelayedExpansion\n");
    set(out, "TP_NAME", &one.name)?;
    set(out, "TP_FOLDER", &one.folder)?;
    set(out, "TP_STAGING", &one.staging)?;
    set(
        out,
        "TP_LOG",
        &format!(r"{}\truepath-logs\{}.log", one.folder, one.name),
    )?;
    for folder in one.folders.iter() {
        set(out, "TP_MAKE", folder)?;
        out.push_str("if not exist \"%TP_MAKE%\\\" mkdir \"%TP_MAKE%\"\n");
    }
    out.push_str(
        "if not exist \"%TP_FOLDER%\\truepath-logs\\\" mkdir \"%TP_FOLDER%\\truepath-logs\"\n",
    );
    out.push_str("set \"TP_MISSING=\"\n");
    for placed in one.placed.iter() {
        for frame in one.frames.iter() {
            set(out, "TP_TRUE", &placed.pattern.path(frame))?;
            out.push_str("if not exist \"%TP_TRUE%\" set \"TP_MISSING=1\"\n");
        }
    }
    writeln!(out, "if not defined TP_MISSING goto there_{number}")?;
    if let Some((pattern, frames)) = &one.sources {
        for frame in frames.iter() {
            set(out, "TP_TRUE", &pattern.path(frame))?;
            writeln!(
                out,
                "if not exist \"%TP_TRUE%\" set \"TP_STATUS=1\" & goto failed_{number}"
            )?;
        }
    }
    out.push_str("call :staging\nset \"TP_STATUS=127\"\n");
    writeln!(out, "if not defined TP_READY goto ended_{number}")?;
    writeln!(out, "echo {number}: %TP_NAME%")?;
    let work = match &one.spec.folder {
        Some(folder) => word(folder)?,
        None => "\"%TP_STAGING%\"".to_owned(),
    };
    writeln!(out, "pushd {work}")?;
    for (name, value) in &one.spec.env {
        set(out, name, value)?;
    }
    // `call` reads a line twice, which changes these two.
    if may_be_batch_file(&one.spec.program)
        && let Some(text) = one.words().find(|text| text.contains(['^', '%']))
    {
        return Err(ScriptError::Character {
            shell: SHELL,
            character: "`^` or `%` in a command that may be a batch file itself".to_owned(),
            text: text.to_owned(),
            advice: "name the program with its extension .exe, if it has that",
        }
        .into());
    }
    let percent = |text: &str| text.matches('%').count();
    if one.words().map(percent).sum::<usize>() > 1 {
        let text = one
            .words()
            .find(|text| text.contains('%'))
            .unwrap_or_default();
        return Err(refused(text, "more than one percent sign in a command".to_owned()).into());
    }
    let mut line = String::new();
    for (index, text) in one.words().enumerate() {
        if index > 0 {
            line.push(' ');
        }
        // The staging folder may have a number of its own.
        let quoted = word(text)?;
        line.push_str(&quoted.replace(&inner(&one.staging)?, "%TP_STAGING%"));
    }
    if line.chars().count() > LONGEST_LINE {
        return Err(ScriptError::TooLong {
            step: one.title.clone(),
            length: line.chars().count(),
            unit: "characters",
            system: "a batch file",
            limit: LONGEST_LINE,
        }
        .into());
    }
    // Without `call` the script would end with a program that is a batch file itself.
    let prefix = if may_be_batch_file(&one.spec.program) {
        "call "
    } else {
        ""
    };
    writeln!(out, "{prefix}{line} >>\"%TP_LOG%\" 2>&1 <nul")?;
    out.push_str("set \"TP_STATUS=%ERRORLEVEL%\"\npopd\n");
    for code in &one.success_codes {
        writeln!(out, "if \"%TP_STATUS%\"==\"{code}\" set \"TP_STATUS=0\"")?;
    }
    writeln!(out, ":ended_{number}")?;
    writeln!(out, "if not \"%TP_STATUS%\"==\"0\" goto failed_{number}")?;
    for placed in one.placed.iter() {
        bring(one, placed, out)?;
    }
    out.push_str("rmdir \"%TP_STAGING%\" 2>nul\n");
    writeln!(
        out,
        "endlocal & set /a TP_DONE+=1 >nul\ngoto after_{number}"
    )?;
    writeln!(out, ":failed_{number}")?;
    out.push_str("echo %TP_NAME%: it ended with exit code %TP_STATUS%; its log is \"%TP_LOG%\"\n");
    writeln!(
        out,
        "endlocal & set /a TP_FAILED+=1 >nul\ngoto after_{number}"
    )?;
    writeln!(out, ":there_{number}\nendlocal & set /a TP_BEFORE+=1 >nul")?;
    writeln!(out, ":after_{number}")?;
    for placed in one.placed.iter() {
        for frame in one.frames.iter() {
            set(out, "TP_TRUE", &placed.pattern.path(frame))?;
            out.push_str("call :still\n");
        }
    }
    Ok(())
}

/// Whether a program may be a batch file: without an extension the command processor looks for one of
/// several.
pub(super) fn may_be_batch_file(program: &str) -> bool {
    let lower = program.to_ascii_lowercase();
    ![".exe", ".com"].iter().any(|end| lower.ends_with(end))
}

/// The longest line that the command processor takes.
const LONGEST_LINE: usize = 8_191;

fn bring(one: &Step, placed: &StepFiles, out: &mut String) -> Result<(), WriteError> {
    one.true_name(&placed.pattern, SHELL)?;
    match &placed.written {
        WrittenName::One(name) => {
            set(out, "TP_HEAD", name)?;
            out.push_str(
                "set \"TP_TAIL=\"\nset \"TP_SIGN=\"\nset \"TP_FRAME=\"\nset \"TP_PADS=none\"\n",
            );
        }
        WrittenName::Digits(before, after) => {
            set(out, "TP_HEAD", before)?;
            set(out, "TP_TAIL", after)?;
            out.push_str("set \"TP_PADS=all\"\n");
        }
        WrittenName::Any if one.frames.count() == 1 => out.push_str("set \"TP_PADS=any\"\n"),
        WrittenName::Any => {
            return Err(one
                .beyond("names its files in a way that no profile describes", SHELL)
                .into());
        }
    }
    for frame in one.frames.iter() {
        if matches!(placed.written, WrittenName::Digits(..)) {
            writeln!(out, "set \"TP_SIGN={}\"", if frame < 0 { "-" } else { "" })?;
            writeln!(out, "set \"TP_FRAME={}\"", frame.unsigned_abs())?;
        }
        let path = placed.pattern.path(frame);
        let (folder, name) = path.rsplit_once('\\').unwrap_or((".", &path));
        set(out, "TP_PLACE", folder)?;
        set(out, "TP_ONLY", name)?;
        set(out, "TP_TRUE", &path)?;
        out.push_str("call :bring\n");
    }
    Ok(())
}

/// `set "NAME=value"`
fn set(out: &mut String, name: &str, value: &str) -> Result<(), ScriptError> {
    if value.contains('%') {
        return Err(refused(
            value,
            "a percent sign in a path or a variable".to_owned(),
        ));
    }
    out.push_str(&format!("set \"{}={}\"\n", inner(name)?, inner(value)?));
    Ok(())
}

fn refused(text: &str, character: String) -> ScriptError {
    ScriptError::Character {
        shell: SHELL,
        character,
        text: text.to_owned(),
        advice: "use another value there",
    }
}

/// A text between quotes.
fn inner(text: &str) -> Result<String, ScriptError> {
    match text.chars().find(|c| *c == '"' || !matches!(c, ' '..='~')) {
        Some('"') => return Err(refused(text, "a quote".to_owned())),
        Some(other) => return Err(refused(text, format!("{other:?}"))),
        None => {}
    }
    Ok(text.replace('%', "%%"))
}

/// An argument as one word of a command line.
///
/// # Errors
/// When it holds what has no safe form there.
pub fn word(text: &str) -> Result<String, ScriptError> {
    let plain = |c: char| c.is_ascii_alphanumeric() || "-_./\\:+#".contains(c);
    if !text.is_empty() && text.chars().all(plain) && !text.ends_with('\\') {
        return Ok(text.to_owned());
    }
    let slashes = text.len() - text.trim_end_matches('\\').len();
    Ok(format!("\"{}{}\"", inner(text)?, "\\".repeat(slashes)))
}
