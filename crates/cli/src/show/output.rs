//! What is printed. Text of others cannot act on a terminal: only what this program prints as a style
//! becomes one, everything else that would not be shown is spelt out.

use std::fmt;
use std::io::{self, BufWriter, StdoutLock, Write};

use anstream::AutoStream;
use anstyle::{AnsiColor, Style};
use truepath_core::visible::{is_hidden, spell};

/// A style in a text that is printed: `{ERROR}wrong{ERROR:#}`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Paint(u8);

/// Something is wrong.
pub(crate) const ERROR: Paint = Paint(0);
/// All is well.
pub(crate) const GOOD: Paint = Paint(1);
/// Something to look at.
pub(crate) const WARNING: Paint = Paint(2);
/// What a block is about.
pub(crate) const TITLE: Paint = Paint(3);
/// What stands beside it.
pub(crate) const FAINT: Paint = Paint(4);
/// Cells of strips.
pub(crate) const GREEN: Paint = Paint(5);
pub(crate) const CYAN: Paint = Paint(6);
pub(crate) const YELLOW: Paint = Paint(7);
/// Worth knowing.
pub(crate) const NOTE: Paint = Paint(8);

/// By number.
const STYLES: [Style; 9] = [
    AnsiColor::Red.on_default().bold(),
    AnsiColor::Green.on_default().bold(),
    AnsiColor::Yellow.on_default().bold(),
    Style::new().bold(),
    Style::new().dimmed(),
    AnsiColor::Green.on_default(),
    AnsiColor::Cyan.on_default(),
    AnsiColor::Yellow.on_default(),
    AnsiColor::Cyan.on_default().bold(),
];

impl Paint {
    /// The style itself, for libraries that print with escapes.
    pub(crate) const fn style(self) -> Style {
        STYLES[self.0 as usize]
    }
}

/// Styles stand in texts as characters of a private plane of Unicode, until they are printed.
const FIRST: u32 = 0x0f_5a00;
const END: u32 = FIRST + 0xff;

impl fmt::Display for Paint {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let number = if out.alternate() {
            END
        } else {
            FIRST + u32::from(self.0)
        };
        match char::from_u32(number) {
            Some(sign) => fmt::Write::write_char(out, sign),
            None => Ok(()),
        }
    }
}

/// A text as it goes to a terminal: styles as escapes, and nothing else that acts but ends of lines.
pub(crate) fn painted(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 16);
    for character in text.chars() {
        match u32::from(character) {
            END => out.push_str(&format!("{}", anstyle::Reset.render())),
            number @ FIRST..END => match STYLES.get((number - FIRST) as usize) {
                Some(style) => out.push_str(&style.render().to_string()),
                None => spell(character, &mut out),
            },
            _ if character != '\n' && is_hidden(character) => spell(character, &mut out),
            _ => out.push(character),
        }
    }
    out
}

/// The same without styles.
pub(crate) fn plain(text: &str) -> String {
    anstream::adapter::strip_str(&painted(text)).to_string()
}

/// Where results or remarks are printed.
pub(crate) struct Output<W: Write>(W);

/// Standard output, for results.
pub(crate) fn out() -> Output<BufWriter<AutoStream<StdoutLock<'static>>>> {
    Output(BufWriter::new(anstream::stdout().lock()))
}

impl<W: Write> Write for Output<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.write_all(bytes)?;
        Ok(bytes.len())
    }

    /// Texts come whole: formatting hands on pieces that are texts themselves.
    fn write_all(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.0
            .write_all(painted(&String::from_utf8_lossy(bytes)).as_bytes())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

/// Prints what this program has printed before, with its styles.
pub(crate) fn print_again(text: &str) -> io::Result<()> {
    match anstream::stdout().write_all(text.as_bytes()) {
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Ok(()),
        printed => printed,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_styles_of_ours_are_styles() {
        let text = format!("{ERROR}wrong{ERROR:#}: \x1b[31mred\x1b[0m\n");
        assert_eq!(
            painted(&text),
            "\x1b[1m\x1b[31mwrong\x1b[0m: \\x1b[31mred\\x1b[0m\n"
        );
        assert_eq!(plain(&text), "wrong: \\x1b[31mred\\x1b[0m\n");
    }
}
