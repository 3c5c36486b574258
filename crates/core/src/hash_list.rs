//! Lists of hashes as `sha256sum`, `md5sum` and `b3sum` write and check them: a hash, two spaces and a path a line. A
//! path with a line break or a backslash has those written as `\\n` and `\\\\`, and a backslash before the line.

use std::path::{Component, Path};

/// A line of a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HashLine {
    /// The hash in hexadecimal digits.
    pub hash: String,
    /// The path, in bytes.
    pub path: Vec<u8>,
}

/// Why a line cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum HashLineError {
    /// It is no hash and a path.
    #[error("it is no line of a hash, two spaces and a path")]
    NoLine,
    /// The path leads out of the folder of the list.
    #[error("its path leads out of the folder of the list")]
    Outside,
}

impl HashLine {
    /// The line, with its end.
    #[must_use]
    pub fn written(&self) -> Vec<u8> {
        let is_escaped = self
            .path
            .iter()
            .any(|byte| matches!(byte, b'\n' | b'\r' | b'\\'));
        let mut line = Vec::new();
        if is_escaped {
            line.push(b'\\');
        }
        line.extend(self.hash.bytes());
        line.extend(b"  ");
        for byte in &self.path {
            match byte {
                b'\n' if is_escaped => line.extend(b"\\n"),
                b'\r' if is_escaped => line.extend(b"\\r"),
                b'\\' if is_escaped => line.extend(b"\\\\"),
                other => line.push(*other),
            }
        }
        line.push(b'\n');
        line
    }

    /// Reads a line without its end.
    ///
    /// # Errors
    /// When it is none, or leads out of its folder.
    pub fn read(line: &[u8]) -> Result<Self, HashLineError> {
        let (is_escaped, line) = match line.strip_prefix(b"\\") {
            Some(line) => (true, line),
            None => (false, line),
        };
        let digits = line
            .iter()
            .take_while(|byte| byte.is_ascii_hexdigit())
            .count();
        // The second character says how the file was read, which makes no difference here.
        let [b' ', b' ' | b'*', path @ ..] = &line[digits..] else {
            return Err(HashLineError::NoLine);
        };
        if !matches!(digits, 32 | 64) || path.is_empty() {
            return Err(HashLineError::NoLine);
        }
        let mut plain = Vec::with_capacity(path.len());
        let mut bytes = path.iter();
        while let Some(byte) = bytes.next() {
            plain.push(match byte {
                b'\\' if is_escaped => match bytes.next() {
                    Some(b'n') => b'\n',
                    Some(b'r') => b'\r',
                    Some(b'\\') => b'\\',
                    _ => return Err(HashLineError::NoLine),
                },
                other => *other,
            });
        }
        let hash = String::from_utf8_lossy(&line[..digits]).to_lowercase();
        let line = Self { hash, path: plain };
        if line.stays_inside() {
            Ok(line)
        } else {
            Err(HashLineError::Outside)
        }
    }

    /// Whether the path is relative and never goes up.
    fn stays_inside(&self) -> bool {
        let path = String::from_utf8_lossy(&self.path);
        let parts = Path::new(&*path).components();
        parts
            .into_iter()
            .all(|part| matches!(part, Component::Normal(_) | Component::CurDir))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn lines_are_those_of_the_usual_programs() {
        let hash = "a".repeat(64);
        let line = |path: &[u8]| {
            let line = HashLine {
                hash: hash.clone(),
                path: path.to_vec(),
            };
            String::from_utf8(line.written()).unwrap()
        };
        assert_eq!(line(b"r/dawn 1.png"), format!("{hash}  r/dawn 1.png\n"));
        assert_eq!(line(b"a\nb\\c"), format!("\\{hash}  a\\nb\\\\c\n"));
        assert!(HashLine::read(format!("{hash} *r/a.png").as_bytes()).is_ok());
    }

    #[test]
    fn what_is_no_line_or_leads_out_is_refused() {
        let hash = "0".repeat(32);
        for (line, error) in [
            ("a note", HashLineError::NoLine),
            ("1234  r/a.png", HashLineError::NoLine),
            (&format!("{hash}  "), HashLineError::NoLine),
            (&format!("{hash}  /etc/passwd"), HashLineError::Outside),
            (&format!("{hash}  r/../../a.png"), HashLineError::Outside),
        ] {
            assert_eq!(HashLine::read(line.as_bytes()), Err(error), "{line}");
        }
    }

    proptest! {
        #[test]
        fn every_name_is_read_back(name in "[^/\u{0}]{1,20}") {
            prop_assume!(name != "." && name != "..");
            let line = HashLine { hash: "b".repeat(64), path: name.into_bytes() };
            let written = line.written();
            prop_assert_eq!(written.iter().filter(|byte| **byte == b'\n').count(), 1);
            prop_assert_eq!(HashLine::read(&written[..written.len() - 1]), Ok(line));
        }
    }
}
