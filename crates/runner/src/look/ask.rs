//! Asks a program for a short answer. One that does not answer is ended: nobody may be there to see that
//! it waits for something.

use std::io::{self, Read};
use std::process::{Child, Command, Output, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use crate::clock::pause;
use crate::system::{Group, in_own_group};

/// How long a program may take to answer, and at least, however fast the run's clock goes.
const PATIENCE: (Duration, Duration) = (Duration::from_secs(60), Duration::from_secs(1));
/// How soon it is looked at again: most answer at once.
const STEPS: (Duration, Duration) = (Duration::from_millis(1), Duration::from_millis(50));

/// What a program prints.
///
/// # Errors
/// When it cannot be started, or does not end in time.
pub(crate) fn output_of(command: &mut Command) -> io::Result<Output> {
    command
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped());
    let mut program = in_own_group(command).spawn()?;
    let (out, error) = (program.stdout.take(), program.stderr.take());
    thread::scope(|scope| {
        let out = scope.spawn(|| all_of(out));
        let error = scope.spawn(|| all_of(error));
        let status = end_of(&mut program)?;
        let lost = || io::Error::other("its output cannot be read");
        Ok(Output {
            status,
            stdout: out.join().map_err(|_| lost())??,
            stderr: error.join().map_err(|_| lost())??,
        })
    })
}

fn all_of(stream: Option<impl Read>) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    if let Some(mut stream) = stream {
        stream.read_to_end(&mut bytes)?;
    }
    Ok(bytes)
}

fn end_of(program: &mut Child) -> io::Result<std::process::ExitStatus> {
    let (begun, limit) = (Instant::now(), pause(PATIENCE.0).max(PATIENCE.1));
    let (mut step, longest) = STEPS;
    loop {
        if let Some(status) = program.try_wait()? {
            return Ok(status);
        }
        if begun.elapsed() > limit {
            // Its group is its own, and it is not yet waited for. All of it goes: what it has started
            // holds its output open.
            Group::of(program)?.kill();
            program.wait()?;
            let reason = format!("it gives no answer for {} s", PATIENCE.0.as_secs());
            return Err(io::Error::new(io::ErrorKind::TimedOut, reason));
        }
        thread::sleep(step);
        step = (step * 2).min(longest);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_printed_comes_whole() {
        let line = "head -c 300000 /dev/zero; echo no >&2; exit 3";
        let output = output_of(Command::new("sh").args(["-c", line])).unwrap();
        assert_eq!(output.stdout.len(), 300_000);
        assert_eq!(output.stderr, b"no\n");
        assert_eq!(output.status.code(), Some(3));
        assert!(output_of(&mut Command::new("/nowhere/at/all")).is_err());
    }
}
