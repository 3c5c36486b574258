//! Quoting, proven by real shells: what is written is what a program is given.
#![allow(clippy::unwrap_used)]

use std::process::Command;

use proptest::prelude::*;
use truepath_core::quote::posix_line;

fn argument() -> impl Strategy<Value = String> {
    prop_oneof![
        "[ -~]{0,12}",
        "['\"$`\\\\!&|;<>(){}\\[\\]*?#~=%^\n\t -]{0,10}",
        "[a-zé日\u{1F600} ]{0,6}",
        Just(String::new()),
        Just("-n".to_owned()),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn a_shell_gives_back_the_same_bytes(arguments in prop::collection::vec(argument(), 1..5)) {
        let all = std::iter::once("%s\\0").chain(arguments.iter().map(String::as_str));
        let line = posix_line("printf", all);
        let output = Command::new("sh").args(["-c", &line]).output().unwrap();
        prop_assert!(output.status.success(), "{line}");
        let wanted: Vec<u8> = arguments.iter().flat_map(|one| [one.as_bytes(), b"\0"].concat()).collect();
        prop_assert_eq!(output.stdout, wanted, "{}", line);
    }
}
