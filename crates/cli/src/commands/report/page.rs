//! The page itself.

use std::collections::BTreeMap;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use maud::{DOCTYPE, Markup, PreEscaped, html};
use serde_json::json;
use sha2::{Digest, Sha256};
use truepath_core::file_state::FileState;
use truepath_core::finding::{Finding, Severity};
use truepath_core::source::Sources;
use truepath_core::times::{SlowFrame, TimesRow};
use truepath_core::visible::visible;
use truepath_runner::make::run::Warning;

use super::proxies::{ShownFrame, ShownRow};
use crate::show::{bytes, count, playing_time};

/// What is on a page.
pub(super) struct Page<'p> {
    pub(super) title: &'p str,
    pub(super) rows: &'p [ShownRow],
    /// What was left out.
    pub(super) note: Option<&'p str>,
    /// What the rules say about the jobs, and what their files are called and hold; none where there is no job.
    pub(super) findings: Option<&'p Vec<PlacedFinding>>,
    /// What engines warned of, by the logs that are there.
    pub(super) warnings: &'p [Warning],
    /// A command line of each deliverable, with what it makes.
    pub(super) lines: &'p [(String, String)],
    pub(super) times: &'p [TimesRow],
    /// The same by machine and by engine.
    pub(super) made_by: [&'p [TimesRow]; 2],
    pub(super) slowest: &'p [SlowFrame],
}

/// A finding, and its place in the job file: `truepath.toml:12`.
pub(super) struct PlacedFinding {
    finding: Finding,
    place: Option<String>,
}

impl PlacedFinding {
    pub(super) fn new(finding: Finding, sources: &Sources) -> Self {
        let place = finding.labels.first().map(|label| {
            let (line, _) = sources.line_and_column(&label.place);
            let name = &sources.get(label.place.source).name;
            format!("{}:{line}", visible(name))
        });
        Self { finding, place }
    }
}

/// The one script of a page.
const SCRIPT: &str = include_str!("page.js");

/// Nothing is loaded from anywhere, and no script runs but the one with this hash (W3C, Content Security Policy Level 3, 2.3.1).
fn policy() -> String {
    let hash = STANDARD.encode(Sha256::digest(SCRIPT));
    format!(
        "default-src 'none'; img-src data:; style-src 'unsafe-inline'; script-src 'sha256-{hash}'"
    )
}

impl Page<'_> {
    /// The whole text.
    pub(super) fn html(&self) -> String {
        let title = visible(self.title);
        let page = html! {
            (DOCTYPE)
            html lang="en" {
                head {
                    meta charset="utf-8";
                    meta name="viewport" content="width=device-width, initial-scale=1";
                    meta http-equiv="Content-Security-Policy" content=(policy());
                    title { (title) }
                    style { (PreEscaped(include_str!("page.css"))) }
                }
                body {
                    main {
                        h1 { (title) }
                        (self.summary())
                        (self.player())
                        h2 { "Sequences" }
                        div.tiles { @for (number, row) in self.rows.iter().enumerate() { (tile(number, row)) } }
                        (self.findings())
                        (self.warnings())
                        (self.plots())
                        (self.costs())
                        (self.lines())
                    }
                    script type="application/json" id="data" { (PreEscaped(self.data())) }
                    script { (PreEscaped(SCRIPT)) }
                }
            }
        };
        page.into_string()
    }

    fn summary(&self) -> Markup {
        let mut states: BTreeMap<&str, u64> = BTreeMap::new();
        let mut all = 0;
        for row in self.rows {
            let bad: u64 = row.not_valid.iter().map(|(_, number)| number).sum();
            all += row.total;
            *states.entry(FileState::Valid.word()).or_default() += row.total.saturating_sub(bad);
            for (word, number) in &row.not_valid {
                *states.entry(word).or_default() += number;
            }
        }
        states.retain(|_, number| *number > 0);
        html! {
            p {
                (count(all, "frame", "frames")) " of " (count(self.rows.len() as u64, "sequence", "sequences")) ": "
                @for (at, (state, number)) in states.iter().enumerate() {
                    @if at > 0 { ", " }
                    span class=(class(state)) { (number) " " (state) }
                }
            }
            @if let Some(note) = self.note { p.doubt { (note) } }
        }
    }

    /// What the rules say about the job.
    fn findings(&self) -> Markup {
        html! {
            @if let Some(findings) = self.findings {
                h2 { "Findings" }
                @if findings.is_empty() { p { "The rules have nothing to say about the job." } }
                @for PlacedFinding { finding, place } in findings {
                    p {
                        span class=(weight(finding.severity)) { (finding.severity.word()) " " (finding.code) } " "
                        (visible(&finding.sentence))
                        @if let Some(place) = place { span.faint { "  " (place) } }
                        @if let Some(so) = &finding.consequence { br; span.faint { (visible(so)) } }
                    }
                }
            }
        }
    }

    /// What engines warned of, the most frequent first.
    fn warnings(&self) -> Markup {
        const MOST: usize = 40;
        html! {
            @if !self.warnings.is_empty() {
                h2 { "Warnings in the logs" }
                table {
                    thead { tr { th { "warning" } th { "times" } th { "first in" } } }
                    tbody {
                        @for one in self.warnings.iter().take(MOST) {
                            tr {
                                td { (visible(&one.first)) } td { (one.count) }
                                td.faint { (visible(&one.log.to_string_lossy())) ":" (one.line) }
                            }
                        }
                    }
                }
                @if self.warnings.len() > MOST {
                    p.faint { "and " (count((self.warnings.len() - MOST) as u64, "more kind", "more kinds")) }
                }
            }
        }
    }

    /// How each deliverable is rendered, folded.
    fn lines(&self) -> Markup {
        html! {
            @if !self.lines.is_empty() {
                h2 { "Command lines" }
                @for (title, line) in self.lines {
                    details { summary { (visible(title)) } pre.line { (visible(line)) } }
                }
            }
        }
    }

    fn player(&self) -> Markup {
        html! {
            section.player id="player" aria-label="Player" {
                div {
                    div.stage { canvas id="canvas" role="img" aria-labelledby="now" {} }
                    div.bar {
                        button id="back" aria-label="One frame back" { "◀" }
                        button id="play" { "Play" }
                        button id="forward" aria-label="One frame forward" { "▶" }
                        input id="scrub" type="range" min="0" value="0" aria-label="Frame";
                        output id="now" aria-live="off" {}
                    }
                }
                div {
                    label { "Sequence"
                        select id="row" { @for (number, row) in self.rows.iter().enumerate() { option value=(number) { (visible(&row.title)) } } }
                    }
                    label { "Beside it, under a wipe"
                        select id="other" {
                            option value="-1" { "nothing" }
                            @for (number, row) in self.rows.iter().enumerate() { option value=(number) { (visible(&row.title)) } }
                        }
                    }
                    label { "Wipe" input id="wipe" type="range" min="0" max="100" value="50"; }
                    label { "Exposure in stops" input id="stops" type="range" min="-4" max="4" step="0.25" value="0"; }
                    label { "Speed"
                        select id="speed" {
                            option value="0.25" { "a quarter" } option value="0.5" { "half" }
                            option value="1" selected { "as it is" } option value="2" { "twice" }
                        }
                    }
                    label { "Go to frame" input id="frame" type="number"; }
                    button id="loop" aria-pressed="true" { "Loop" } " "
                    button id="trouble" { "Next that is not valid" }
                    p.faint { "Space plays, arrows step and change the sequence, N finds the next frame that is not valid." }
                }
            }
        }
    }

    /// The seconds of each frame, of sequences of which they are known.
    fn plots(&self) -> Markup {
        let mut by_label: BTreeMap<&str, BTreeMap<i64, &SlowFrame>> = BTreeMap::new();
        for one in self.slowest {
            by_label
                .entry(&one.label)
                .or_default()
                .insert(one.frame, one);
        }
        by_label.retain(|_, frames| frames.len() > 1);
        html! {
            @if !by_label.is_empty() {
                h2 { "Seconds of each frame" }
                @for (label, frames) in &by_label { (plot(label, frames)) }
            }
        }
    }

    fn costs(&self) -> Markup {
        let seconds = |value: f64| {
            if value < 10.0 {
                format!("{value:.2} s")
            } else {
                playing_time(value)
            }
        };
        html! {
            @if !self.times.is_empty() {
                h2 { "What it took" }
                table {
                    thead { tr { th { "deliverable" } th { "frames" } th { "median" } th { "slowest" } th { "in all" } th { "processor" } th { "memory" } th { "failed" } } }
                    tbody {
                        @for row in self.times {
                            tr {
                                td { (visible(&row.name)) } td { (row.frames) }
                                td { (row.median.map(seconds).unwrap_or_default()) }
                                td { (row.slowest.map(|(frame, took)| format!("{} at {frame}", seconds(took))).unwrap_or_default()) }
                                td { (seconds(row.wall)) } td { (seconds(row.cpu)) } td { (bytes(row.memory)) } td { (row.failed) }
                            }
                        }
                    }
                }
                @for (title, rows) in ["Machines", "Engines"].iter().zip(self.made_by) {
                    @if !rows.is_empty() {
                        h2 { (title) }
                        table {
                            thead { tr { th { "name" } th { "frames" } th { "processes" } th { "median" } th { "in all" } th { "processor" } th { "memory" } th { "failed" } } }
                            tbody {
                                @for row in rows {
                                    tr {
                                        td { (visible(&row.name)) } td { (row.frames) } td { (row.processes) }
                                        td { (row.median.map(seconds).unwrap_or_default()) }
                                        td { (seconds(row.wall)) } td { (seconds(row.cpu)) } td { (bytes(row.memory)) } td { (row.failed) }
                                    }
                                }
                            }
                        }
                    }
                }
            }
        }
    }

    /// What the script plays, as JSON that cannot end the element that it stands in.
    fn data(&self) -> String {
        let row = |row: &ShownRow| {
            let frames: Vec<_> = row
                .frames
                .iter()
                .map(
                    |one| json!({ "frame": one.frame, "state": one.words(), "picture": one.picture }),
                )
                .collect();
            json!({ "title": visible(&row.title), "width": row.width, "height": row.height, "fps": row.fps, "frames": frames })
        };
        let rows: Vec<_> = self.rows.iter().map(row).collect();
        json!({ "rows": rows }).to_string().replace('<', "\\u003c")
    }
}

/// The class of a weight.
fn weight(severity: Severity) -> &'static str {
    match severity {
        Severity::Error => "bad",
        Severity::Warning => "doubt",
        Severity::Note => "faint",
    }
}

/// The classes of a frame in a strip.
fn cell(frame: &ShownFrame) -> String {
    let suspicious = if frame.suspicion.is_some() {
        " suspicious"
    } else {
        ""
    };
    format!("cell {}{suspicious}", frame.state)
}

fn class(state: &str) -> &'static str {
    match state {
        "valid" => "good",
        "missing" | "broken" | "failed" => "bad",
        _ => "doubt",
    }
}

/// Cells of a strip at most.
const MOST_CELLS: usize = 200;

fn tile(number: usize, row: &ShownRow) -> Markup {
    let poster = row.frames.len() / 2;
    let picture = row
        .frames
        .get(poster)
        .and_then(|one| one.picture.as_deref());
    let picture = picture.or_else(|| row.frames.iter().find_map(|one| one.picture.as_deref()));
    // Of several frames in a cell the one that is not as it should be is shown.
    let step = row.frames.len().div_ceil(MOST_CELLS).max(1);
    let cells = row.frames.chunks(step).enumerate().map(|(at, frames)| {
        let odd = frames
            .iter()
            .position(|one| one.state != "valid" || one.suspicion.is_some())
            .unwrap_or(0);
        (at * step + odd, &frames[odd])
    });
    let bad: u64 = row.not_valid.iter().map(|(_, number)| number).sum();
    let good = row.total.saturating_sub(bad);
    let others: String = row
        .not_valid
        .iter()
        .map(|(word, number)| format!(", {number} {word}"))
        .collect();
    html! {
        div.tile role="group" data-row=(number) data-at=(poster) {
            @if let Some(picture) = picture { img src=(picture) alt="" loading="lazy"; }
            b { (visible(&row.title)) }
            span.faint { (good) " of " (row.total) " valid" (others) }
            div.strip {
                @for (at, frame) in cells {
                    button class=(cell(frame)) data-row=(number) data-at=(at)
                        aria-label=(format!("frame {}, {}", frame.frame, frame.words())) title=(format!("{} {}", frame.frame, frame.words())) {}
                }
            }
        }
    }
}

fn plot(label: &str, frames: &BTreeMap<i64, &SlowFrame>) -> Markup {
    let most = frames
        .values()
        .map(|one| one.seconds)
        .fold(0.0, f64::max)
        .max(1e-6);
    let width = 1000.0 / frames.len() as f64;
    let bars = frames.values().enumerate().map(|(at, one)| {
        let height = one.seconds / most * 60.0;
        (at as f64 * width, 64.0 - height, height, *one)
    });
    html! {
        p.faint { (visible(label)) ", up to " (format!("{most:.2}")) " s" }
        svg viewBox="0 0 1000 70" preserveAspectRatio="none" role="img" aria-label=(format!("seconds of the frames of {label}")) {
            @for (x, y, height, one) in bars {
                rect x=(format!("{x:.1}")) y=(format!("{y:.1}")) width=(format!("{:.1}", (width * 0.85).max(0.5))) height=(format!("{height:.1}")) class=(if one.is_outlier() { "bad" } else { "" }) {
                    title { (one.frame) ": " (format!("{:.2}", one.seconds)) " s" }
                }
            }
        }
    }
}
