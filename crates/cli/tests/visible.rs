//! Text of engines, files and folders cannot act on a terminal: whatever prints it spells control
//! characters out.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::process::{Command, Stdio};

use common::picture;

/// Clears a screen, sets a title, colours, moves back, rings, and turns the direction of text around.
const EVIL: &str = "\u{1b}[2J\u{1b}]0;title\u{7}\u{1b}[31mred\u{8}\u{9b}1m\u{202e}";

/// Whether a text has anything in it that acts on a terminal.
fn acts(text: &[u8]) -> bool {
    let text = String::from_utf8_lossy(text);
    text.chars()
        .any(|one| one != '\n' && truepath_core::visible::is_hidden(one))
}

#[test]
fn no_output_lets_text_of_others_act() {
    // A job in a folder of such a name is refused, and says so in a safe way too.
    for name in ["show".to_owned(), format!("show{EVIL}")] {
        one_folder(&name);
    }
}

fn one_folder(name: &str) {
    let outer = tempfile::tempdir().unwrap();
    let folder = outer.path().join(name);
    fs::create_dir(&folder).unwrap();
    let write = |name: &str, text: &str| fs::write(folder.join(name), text).unwrap();
    write(
        "truepath.toml",
        "frames = \"1-3\"\nretries = 0\nengine = \"lamp\"\nscene = \"kiln.scene\"\npath = \"out/kiln.{frame:04}.png\"\n",
    );
    write(
        "broken.toml",
        &format!("frames = \"1-3\" # {EVIL}\nfrmes = \"{}\"\n", "x"),
    );
    write("kiln.scene", "anything");
    fs::create_dir(folder.join("engines")).unwrap();
    write(
        "engines/lamp.toml",
        "engine = { name = \"lamp\", program = \"sh\", frames = \"one\" }\n\
         arguments = [\"{place.job}/engine.sh\", \"{frame}\", \"{target}\"]\n\
         log = [{ warning = 'WARN (?P<text>.*)' }, { error = 'ERR (?P<text>.*)' }]\n",
    );
    write(
        "engine.sh",
        &format!(
            "printf '%s\\n' 'WARN careful {EVIL}' 'plain {EVIL}'\n\
             printf 'bytes \\377\\n'\n\
             : >\"$(dirname \"$2\")/junk{EVIL}\"\n\
             if [ $1 = 2 ]; then echo 'ERR no lamp {EVIL}'; exit 3; fi\ncp \"$(dirname \"$0\")/picture.png\" \"$2\"\n"
        ),
    );
    fs::write(folder.join("picture.png"), picture(1)).unwrap();
    fs::create_dir(folder.join("out")).unwrap();
    write(&format!("out/foreign{EVIL}.png"), "x");
    let evil = format!("name{EVIL}.png");
    let calls: &[&[&str]] = &[
        &["run"],
        &["run", "--verbose"],
        &["status"],
        &["status", "--stale"],
        &["status", "--format", "json"],
        &["audit"],
        &["audit", "--format", "json"],
        &["check"],
        &["check", "broken.toml"],
        &["check", "--format", "json"],
        &["overview"],
        &["paths"],
        &["tokens"],
        &["commands"],
        &["engines"],
        &["engines", "lamp"],
        &["match", &evil],
        &["run", &evil],
        &["check", "--job", &evil],
        &["new", "--for-scene", &evil],
        &["adopt", "--", "render", &evil],
        &["run", "--set", &evil],
        &["run", "--shot", &evil],
    ];
    for color in ["never", "always"] {
        for arguments in calls {
            let output = Command::new(common::program())
                .args(["--color", color])
                .args(*arguments)
                .current_dir(&folder)
                .stdin(Stdio::null())
                .output()
                .unwrap();
            for text in [output.stdout, output.stderr] {
                let text = String::from_utf8_lossy(&text).into_owned();
                // Styles of this program are all that may be there.
                let plain = without_styles(&text);
                assert!(!acts(plain.as_bytes()), "{arguments:?}, {color}: {plain:?}");
                assert!(
                    !text.contains("\u{1b}[31mred"),
                    "{arguments:?}, {color}: {text:?}"
                );
            }
        }
    }
    if name.contains(EVIL) {
        return;
    }
    // The logs of engines too.
    let mut logs = Vec::new();
    for session in fs::read_dir(folder.join(".truepath/logs"))
        .unwrap()
        .flatten()
    {
        logs.extend(fs::read_dir(session.path()).unwrap().flatten());
    }
    assert!(!logs.is_empty());
    for log in logs {
        let text = fs::read(log.path()).unwrap();
        assert!(!acts(&text), "{}", String::from_utf8_lossy(&text));
        assert!(String::from_utf8_lossy(&text).contains("\\x1b[2J"));
    }
}

/// A text without the sequences that set styles.
fn without_styles(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find("\u{1b}[") {
        let behind = &rest[at + 2..];
        let end = behind.find(|one: char| !one.is_ascii_digit() && one != ';');
        match end {
            Some(end) if behind[end..].starts_with('m') => {
                out.push_str(&rest[..at]);
                rest = &behind[end + 1..];
            }
            _ => {
                out.push_str(&rest[..at + 2]);
                rest = behind;
            }
        }
    }
    out + rest
}
