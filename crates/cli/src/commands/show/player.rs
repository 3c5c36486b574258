//! Flips through frames in the terminal.

use std::collections::HashMap;
use std::process::ExitCode;
use std::time::{Duration, Instant};

use truepath_core::frames::Frame;
use truepath_core::movie::Fps;
use truepath_runner::follow::pictures::PictureRow;

use super::frame::{Canvas, drawn};
use super::{Arguments, write_raw};
use crate::error::{CommandError, DONE};
use crate::picture_arguments::ChosenPictures;
use crate::show::terminal::Protocol;
use crate::show::terminal::keys::{Key, Keys};
use crate::signals;

/// Another screen without a cursor, and back.
const BEGIN: &str = "\u{1b}[?1049h\u{1b}[?25l";
const END: &str = "\u{1b}[?25h\u{1b}[?1049l";
/// To the upper left corner; what is below stays until it is drawn over.
const HOME: &str = "\u{1b}[H";
const CLEAR_LINE: &str = "\u{1b}[K";
const CLEAR_BELOW: &str = "\u{1b}[J";

/// The terminal lets go of pictures of the graphics protocol.
const FORGET: &str = "\u{1b}_Ga=d,q=2\u{1b}\\";

/// Frames that a run has published since are looked for so often.
const FOLLOW: Duration = Duration::from_secs(2);
/// Bytes of drawn frames that are kept.
const MOST_KEPT: usize = 256 << 20;

struct Player<'p> {
    arguments: &'p Arguments,
    canvas: Canvas,
    rows: Vec<PictureRow>,
    is_of_job: bool,
    row: usize,
    /// The frames of the row, and which of them is shown.
    frames: Vec<Frame>,
    at: usize,
    plays: bool,
    /// Times the rate, in steps of a factor of two.
    speed: i32,
    exposure: f32,
    drawn: HashMap<(usize, Frame, i32), Result<String, String>>,
    kept: usize,
}

/// Plays until somebody ends it.
pub(super) fn play(
    arguments: &Arguments,
    chosen: ChosenPictures,
    canvas: Canvas,
) -> Result<ExitCode, CommandError> {
    let fps = arguments
        .fps
        .or(chosen.fps())
        .unwrap_or_else(|| Fps::whole(24));
    let mut player = Player {
        arguments,
        canvas,
        frames: chosen
            .rows
            .first()
            .map(|row| row.frames.iter().collect())
            .unwrap_or_default(),
        is_of_job: !chosen.jobs.is_empty(),
        rows: chosen.rows,
        row: 0,
        at: 0,
        plays: true,
        speed: 0,
        exposure: arguments.exposure,
        drawn: HashMap::new(),
        kept: 0,
    };
    let asked = signals::listen()?;
    let mut keys = Keys::new().map_err(CommandError::outside("the terminal"))?;
    write_raw(BEGIN)?;
    let ended = player.run(&mut keys, fps, asked);
    // The terminal is as it was, whatever has happened.
    let restored = write_raw(END);
    drop(keys);
    ended.and(restored)?;
    Ok(ExitCode::from(DONE))
}

impl Player<'_> {
    fn run(
        &mut self,
        keys: &mut Keys,
        fps: Fps,
        asked: &std::sync::atomic::AtomicU8,
    ) -> Result<(), CommandError> {
        let mut followed = Instant::now();
        loop {
            let began = Instant::now();
            self.draw()?;
            if asked.load(std::sync::atomic::Ordering::Relaxed) > 0 {
                return Ok(());
            }
            if self.is_of_job && followed.elapsed() > FOLLOW {
                self.follow();
                followed = Instant::now();
            }
            let rate = fps.value() * 2_f64.powi(self.speed);
            let until = if self.plays {
                began + Duration::from_secs_f64(1.0 / rate)
            } else {
                began + FOLLOW
            };
            match keys
                .next(until)
                .map_err(CommandError::outside("the terminal"))?
            {
                Some(key) if self.press(key) => return Ok(()),
                Some(_) => {}
                None if self.plays => self.step(1),
                None => {}
            }
        }
    }

    /// Does what a key stands for; whether it ends the player.
    fn press(&mut self, key: Key) -> bool {
        match key {
            Key::End | Key::Letter('q' | '\u{1b}' | '\u{3}') => return true,
            Key::Letter(' ') => self.plays = !self.plays,
            Key::Right | Key::Letter('.') => self.pause_and_step(1),
            Key::Left | Key::Letter(',') => self.pause_and_step(-1),
            Key::Down => self.change_row(1),
            Key::Up => self.change_row(-1),
            Key::Letter('+') => self.speed = (self.speed + 1).min(4),
            Key::Letter('-') => self.speed = (self.speed - 1).max(-4),
            Key::Letter(']') => self.exposure += 0.5,
            Key::Letter('[') => self.exposure -= 0.5,
            Key::Letter('0') => self.at = 0,
            Key::Letter('n') => self.go_to_next_fault(),
            Key::Letter(_) => {}
        }
        false
    }

    fn pause_and_step(&mut self, by: isize) {
        self.plays = false;
        self.step(by);
    }

    fn step(&mut self, by: isize) {
        let count = self.frames.len().max(1) as isize;
        self.at = (self.at as isize + by).rem_euclid(count) as usize;
    }

    /// The same frame of another sequence, or that at the same place.
    fn change_row(&mut self, by: isize) {
        let count = self.rows.len().max(1) as isize;
        self.row = (self.row as isize + by).rem_euclid(count) as usize;
        let frame = self.frames.get(self.at).copied();
        self.frames = self.rows[self.row].frames.iter().collect();
        let same = frame.and_then(|frame| self.frames.iter().position(|one| *one == frame));
        self.at = same
            .unwrap_or(self.at)
            .min(self.frames.len().saturating_sub(1));
    }

    fn go_to_next_fault(&mut self) {
        let count = self.frames.len();
        let after = (1..=count).map(|step| (self.at + step) % count);
        let row = &self.rows[self.row];
        let mut faults = after.filter(|at| fault(row, self.frames[*at]).is_some());
        if let Some(at) = faults.next() {
            self.plays = false;
            self.at = at;
        }
    }

    /// Takes what a run has published since.
    fn follow(&mut self) {
        if let Ok(chosen) = self.arguments.pictures.load()
            && chosen.rows.len() == self.rows.len()
        {
            let faults = |row: &PictureRow, frame: Frame| fault(row, frame).is_some();
            let (before, now) = (&self.rows, &chosen.rows);
            // What was not there may be there now.
            self.drawn.retain(|(row, frame, _), _| {
                !faults(&before[*row], *frame) && !faults(&now[*row], *frame)
            });
            self.rows = chosen.rows;
        }
    }

    fn draw(&mut self) -> Result<(), CommandError> {
        let Some(frame) = self.frames.get(self.at).copied() else {
            return Ok(());
        };
        let row = &self.rows[self.row];
        let key = (self.row, frame, (self.exposure * 2.0).round() as i32);
        if !self.drawn.contains_key(&key) {
            let rows = self.canvas.height.saturating_sub(3).max(4);
            let room = self
                .canvas
                .protocol
                .room(self.canvas.cells, self.canvas.width, rows);
            let shown = drawn(row, frame, room, self.exposure, self.arguments.data);
            let shown = match shown {
                Ok((picture, _)) => Ok(self.canvas.protocol.stream(&picture)?),
                Err(why) => Err(why),
            };
            if self.kept > MOST_KEPT {
                self.drawn.clear();
                self.kept = 0;
            }
            self.kept += shown.as_ref().map_or(0, String::len);
            self.drawn.insert(key, shown);
        }
        let state = fault(row, frame).unwrap_or("");
        let mode = if self.plays { "plays" } else { "stands" };
        let speed = match self.speed {
            0 => String::new(),
            speed => format!(", {}x", 2_f64.powi(speed)),
        };
        let exposure = if self.exposure == 0.0 {
            String::new()
        } else {
            format!(", {:+} stops", self.exposure)
        };
        let title = format!(
            "{}  {frame}  {}/{}  {mode}{speed}{exposure} {state}",
            row.title,
            self.at + 1,
            self.frames.len()
        );
        let width = self.canvas.width as usize;
        let title: String = title.chars().take(width).collect();
        let body = match self.drawn.get(&key) {
            Some(Ok(stream)) => stream.replace('\n', &format!("{CLEAR_LINE}\r\n")),
            Some(Err(why)) => format!("{why}{CLEAR_LINE}\r\n"),
            None => String::new(),
        };
        let clear = match self.canvas.protocol {
            Protocol::Graphics => FORGET,
            Protocol::Blocks | Protocol::Sixel => "",
        };
        write_raw(&format!(
            "{HOME}{clear}{title}{CLEAR_LINE}\r\n{body}{CLEAR_BELOW}"
        ))
    }
}

/// What is not as it should be with a frame: its state, or the code of the rule that says so.
fn fault(row: &PictureRow, frame: Frame) -> Option<&'static str> {
    row.state(frame).or_else(|| row.suspicion(frame))
}
