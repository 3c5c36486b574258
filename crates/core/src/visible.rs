//! Text of others, made safe to show: control characters and escapes of engines, files and folders are
//! spelt out, so that they neither act on a terminal nor hide anything.

use std::borrow::Cow;
use std::fmt::Write;

/// Whether a character acts on a terminal or on the direction of text, rather than being shown: control
/// characters but for the tab, separators of lines, and the marks of Unicode's bidirectional algorithm
/// (UAX 9).
#[must_use]
pub fn is_hidden(character: char) -> bool {
    match character {
        '\t' => false,
        '\u{2028}' | '\u{2029}' | '\u{200e}' | '\u{200f}' | '\u{061c}' => true,
        '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' => true,
        other => other.is_control(),
    }
}

/// A text with everything in it spelt out that would not be shown: `\x1b` for an escape.
///
/// ```
/// assert_eq!(truepath_core::visible::visible("a\x1b[2Jb"), r"a\x1b[2Jb");
/// ```
#[must_use]
pub fn visible(text: &str) -> Cow<'_, str> {
    if !text.contains(is_hidden) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len() + 8);
    for character in text.chars() {
        if is_hidden(character) {
            spell(character, &mut out)
        } else {
            out.push(character)
        }
    }
    Cow::Owned(out)
}

/// The same of bytes: what is no UTF-8 is spelt out as well.
#[must_use]
pub fn visible_bytes(bytes: &[u8]) -> String {
    let mut out = String::with_capacity(bytes.len());
    for chunk in bytes.utf8_chunks() {
        out.push_str(&visible(chunk.valid()));
        for byte in chunk.invalid() {
            // Writing to a text cannot fail.
            let _ = write!(out, "\\x{byte:02x}");
        }
    }
    out
}

/// Adds a character that is not shown, spelt out.
pub fn spell(character: char, out: &mut String) {
    let _ = match u32::from(character) {
        number @ ..=0xff => write!(out, "\\x{number:02x}"),
        number => write!(out, "\\u{{{number:x}}}"),
    };
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_that_acts_is_left() {
        for (text, shown) in [
            ("plain äöü 漢字\tx", "plain äöü 漢字\tx"),
            ("\x1b]0;title\x07", "\\x1b]0;title\\x07"),
            ("a\rb\nc", "a\\x0db\\x0ac"),
            ("\u{9b}31m", "\\x9b31m"),
            ("abc\u{202e}gnp", "abc\\u{202e}gnp"),
        ] {
            assert_eq!(visible(text), shown);
            assert_eq!(visible_bytes(text.as_bytes()), shown);
        }
        assert_eq!(visible_bytes(b"a\xffb\xc3"), "a\\xffb\\xc3");
    }
}
