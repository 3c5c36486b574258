//! Where a command line writes to, as a path with tokens and as words of the run line.

use super::ValueMeaning;
use super::found::AdoptedLines;
use super::path::Path;

/// What a line writes, and how the run line says it.
#[derive(Clone, PartialEq)]
pub(super) struct AdoptedOutput {
    pub(super) path: Path,
    pub(super) target: Path,
}

/// What a line writes.
pub(super) fn output(found: &AdoptedLines<'_>, line: usize) -> AdoptedOutput {
    let Some(output) = found.of(ValueMeaning::Output, line) else {
        return output_of_parts(found, line);
    };
    let (folder, name) = match output.rsplit_once('/') {
        Some((folder, name)) => (format!("{folder}/"), name),
        None => (String::new(), output),
    };
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let mut path = Path::of(output);
    let mut target = Path::of("");
    target.put(0..0, "{target}".to_owned());
    let in_folder = || {
        let mut target = Path::of(&format!("/{name}"));
        target.put(0..0, "{target.folder}".to_owned());
        target
    };
    let at = |from: usize, to: usize| folder.len() + from..folder.len() + to;
    // ####, or %04d: the engine puts the digits there itself.
    let hashes = stem.chars().filter(|c| *c == '#').count();
    let printf = stem.find('%').and_then(|from| {
        let to = from + stem[from..].find('d')?;
        let width = &stem[from + 1..to];
        let is_width = width.chars().all(|c| c.is_ascii_digit());
        is_width.then(|| (from, to, width.trim_start_matches('0').to_owned()))
    });
    let digits = stem.len() - stem.trim_end_matches(|c: char| c.is_ascii_digit()).len();
    let frame = found
        .number(ValueMeaning::Frame, line)
        .or(found.number(ValueMeaning::First, line));
    let run = "#".repeat(hashes);
    if let Some(from) = stem.find(&run).filter(|_| hashes > 0) {
        path.put(at(from, from + hashes), format!("{{frame:{hashes:02}}}"));
        target = in_folder();
    } else if let Some((from, to, width)) = printf {
        let token = match width.parse::<usize>() {
            Ok(width) => format!("{{frame:{width:02}}}"),
            Err(_) => "{frame}".to_owned(),
        };
        path.put(at(from, to + 1), token);
        target = in_folder();
    } else if digits > 0 && stem[stem.len() - digits..].parse().ok() == frame {
        path.put(
            at(stem.len() - digits, stem.len()),
            format!("{{frame:{digits:02}}}"),
        );
    } else if found.frames_of(line).is_some() {
        path.put(at(stem.len(), stem.len()), ".{frame:04}".to_owned());
        // The name is the same for every frame.
        if found
            .frames_of(line)
            .is_some_and(|frames| frames.count() == 1)
        {
            target = in_folder();
        }
    }
    AdoptedOutput { path, target }
}

/// What a line writes that says folder, name and kind of file apart.
pub(super) fn output_of_parts(found: &AdoptedLines<'_>, line: usize) -> AdoptedOutput {
    let folder = found.of(ValueMeaning::OutputFolder, line).unwrap_or(".");
    let slash = if folder.ends_with('/') { "/" } else { "" };
    let name = found
        .of(ValueMeaning::OutputName, line)
        .unwrap_or("picture");
    let kind = found.of(ValueMeaning::OutputType, line).unwrap_or("png");
    let kind = crate::picture::format(&kind.to_ascii_lowercase()).map_or_else(
        || kind.to_ascii_lowercase(),
        |facts| facts.extensions[0].to_owned(),
    );
    let folder = match folder.trim_end_matches('/') {
        "." | "" => String::new(),
        folder => format!("{folder}/"),
    };
    let mut path = Path::of(&format!("{folder}{name}.{kind}"));
    let at = folder.len() + name.len();
    if found.frames_of(line).is_some() {
        path.put(at..at, ".{frame:04}".to_owned());
    }
    let mut target = Path::of(slash);
    target.put(0..0, "{target.folder}".to_owned());
    AdoptedOutput { path, target }
}
