//! Ledgers: whatever stands in one, it is read, and lines that are not sound are counted. Lines are given
//! their checksums too, so that what they say is reached.
#![no_main]

use std::fs;

use libfuzzer_sys::fuzz_target;
use truepath_runner::ledger::Ledger;

fuzz_target!(|bytes: &[u8]| {
    let folder = tempfile::tempdir_in("/dev/shm").unwrap();
    let ledgers = folder.path().join(".truepath/ledger");
    fs::create_dir_all(&ledgers).unwrap();
    let mut text = bytes.to_vec();
    text.push(b'\n');
    for line in bytes.split(|byte| *byte == b'\n') {
        let mut sum = !0_u32;
        for byte in line {
            sum ^= u32::from(*byte);
            for _ in 0..8 {
                sum = if sum & 1 == 1 { sum >> 1 ^ 0xedb8_8320 } else { sum >> 1 };
            }
        }
        text.extend(format!("{{\"check\":\"{:08x}\",\"line\":", !sum).bytes());
        text.extend(line);
        text.extend(b"}\n");
    }
    fs::write(ledgers.join("0001.jsonl"), text).unwrap();
    let ledger = Ledger::read(&ledgers).unwrap();
    let _ = ledger.unsound();
});
