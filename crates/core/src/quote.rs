//! Quotes arguments for a POSIX shell.

use std::borrow::Cow;

/// An argument as one word of a POSIX shell (Shell Command Language, section 2.2: between single
/// quotes every character but the single quote stands for itself).
#[must_use]
pub fn posix(argument: &str) -> Cow<'_, str> {
    let safe = |byte: u8| {
        matches!(byte, b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9')
            || matches!(
                byte,
                b'_' | b'@' | b'%' | b'+' | b':' | b',' | b'.' | b'/' | b'-' | b'='
            )
    };
    // A leading `=` is a path look-up in one common shell, a leading `~` a home folder in all.
    if !argument.is_empty() && !argument.starts_with('=') && argument.bytes().all(safe) {
        Cow::Borrowed(argument)
    } else {
        Cow::Owned(format!("'{}'", argument.replace('\'', r"'\''")))
    }
}

/// A command line: every word quoted, and the program also where it holds a `=`, which would make
/// an assignment of it.
#[must_use]
pub fn posix_line<'a>(program: &str, arguments: impl IntoIterator<Item = &'a str>) -> String {
    let mut line = if program.contains('=') {
        format!("'{}'", program.replace('\'', r"'\''"))
    } else {
        posix(program).into_owned()
    };
    for argument in arguments {
        line.push(' ');
        line.push_str(&posix(argument));
    }
    line
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quotes_only_where_it_must() {
        for (argument, quoted) in [
            ("+Iscene.pov", "+Iscene.pov"),
            ("", "''"),
            ("a b", "'a b'"),
            ("it's", r"'it'\''s'"),
            ("$HOME;`x`", "'$HOME;`x`'"),
            ("~root", "'~root'"),
            ("=ls", "'=ls'"),
            ("K=V", "K=V"),
            ("é", "'é'"),
            ("-n", "-n"),
        ] {
            assert_eq!(posix(argument), quoted);
        }
        assert_eq!(posix_line("a=b", ["c"]), "'a=b' c");
    }
}
