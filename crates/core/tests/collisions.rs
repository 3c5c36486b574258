//! Collisions found by sequences, compared with every path written out.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use truepath_core::collide::collisions;
use truepath_core::frames::FrameSet;
use truepath_core::template::{FrameField, PathPattern, Piece};

fn pattern() -> impl Strategy<Value = PathPattern> {
    let text = prop_oneof![
        Just("a"),
        Just("b"),
        Just("."),
        Just("1"),
        Just("01"),
        Just("0"),
        Just("12"),
        Just("-"),
        Just("9")
    ]
    .prop_map(|text| Piece::Text(text.into()));
    let frame = (1u8..4).prop_map(|digits| Piece::Frame(FrameField::Digits(digits)));
    prop::collection::vec(prop_oneof![2 => text, 1 => frame], 1..5).prop_map(PathPattern::new)
}

fn frames() -> impl Strategy<Value = FrameSet> {
    (-15i64..120, 0i64..130, 1i64..4).prop_map(|(first, length, step)| {
        format!("{first}-{}/{step}", first + length)
            .parse()
            .unwrap()
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(3000))]
    #[test]
    fn agrees_with_every_path_written_out(all in prop::collection::vec((pattern(), frames()), 2..5)) {
        let sequences: Vec<_> = all.iter().map(|(pattern, frames)| (pattern, frames)).collect();
        let mut writers: BTreeMap<String, BTreeSet<usize>> = BTreeMap::new();
        for (index, (pattern, frames)) in all.iter().enumerate() {
            for frame in frames.iter() {
                writers.entry(pattern.path(frame)).or_default().insert(index);
            }
        }
        let mut pairs = BTreeSet::new();
        let mut lost = 0;
        for who in writers.values().filter(|who| who.len() > 1) {
            lost += who.len() as u64 - 1;
            let who: Vec<usize> = who.iter().copied().collect();
            pairs.extend(who.windows(2).map(|pair| (pair[0], pair[1])));
        }
        let found = collisions(&sequences);
        let members: BTreeSet<usize> = found.iter().flat_map(|one| one.members.clone()).collect();
        let plain: BTreeSet<usize> = pairs.iter().flat_map(|&(a, b)| [a, b]).collect();
        prop_assert_eq!(members, plain);
        for one in &found {
            prop_assert!(writers[&one.example].len() > 1, "{}", one.example);
        }
        // Where one sequence alone writes a path twice, frames and paths count differently.
        let injective = all.iter().all(|(pattern, frames)| {
            frames.iter().map(|frame| pattern.path(frame)).collect::<BTreeSet<_>>().len() as u64 == frames.count()
        });
        if injective {
            prop_assert_eq!(found.iter().map(|one| one.lost).sum::<u64>(), lost);
        }
    }
}

fn sequence(sketch: (&str, u8, &str)) -> PathPattern {
    PathPattern::new([
        Piece::Text(sketch.0.into()),
        Piece::Frame(FrameField::Digits(sketch.1)),
        Piece::Text(sketch.2.into()),
    ])
}

#[test]
fn four_digits_meet_five_at_ten_thousand() {
    let (four, five) = (sequence(("a.", 4, ".png")), sequence(("a.", 5, ".png")));
    let frames = FrameSet::range(1, 20_000);
    let found = collisions(&[(&four, &frames), (&five, &frames)]);
    assert_eq!(found.len(), 1);
    assert_eq!(found[0].lost, 10_001);
    assert_eq!(found[0].example, "a.10000.png");
}

#[test]
fn digits_before_the_number_are_part_of_it() {
    let (glued, plain) = (sequence(("a1", 3, ".png")), sequence(("a", 4, ".png")));
    let found = collisions(&[
        (&glued, &FrameSet::range(1, 10)),
        (&plain, &FrameSet::range(1005, 1020)),
    ]);
    assert_eq!(found.len(), 1);
    assert_eq!(found[0].lost, 6);
}

#[test]
fn a_thousand_sequences_on_one_path_are_one_collision() {
    let one = sequence(("a.", 4, ".png"));
    let frames = FrameSet::range(1, 240);
    let all: Vec<_> = (0..300).map(|_| (&one, &frames)).collect();
    let found = collisions(&all);
    assert_eq!(found.len(), 1);
    assert_eq!(found[0].members.len(), 300);
    assert_eq!(found[0].lost, 299 * 240);
}
