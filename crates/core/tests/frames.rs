//! Properties of sets of frames, compared with plain sets of numbers.
#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeSet;

use proptest::prelude::*;
use truepath_core::frames::{FrameSet, StepRange};

fn range() -> impl Strategy<Value = StepRange> {
    (-60i64..60, 0i64..80, 1i64..9)
        .prop_map(|(first, length, step)| StepRange::new(first, first + length, step).unwrap())
}

fn set() -> impl Strategy<Value = FrameSet> {
    prop::collection::vec(range(), 0..6).prop_map(|ranges| {
        ranges.into_iter().fold(FrameSet::empty(), |all, one| {
            all.union(&FrameSet::from_range(one)).unwrap()
        })
    })
}

fn plain(set: &FrameSet) -> BTreeSet<i64> {
    set.ranges().iter().flat_map(StepRange::iter).collect()
}

proptest! {
    #[test]
    fn what_is_printed_parses_back(set in set()) {
        let printed = set.to_string();
        if set.is_empty() {
            prop_assert_eq!(printed, "");
            return Ok(());
        }
        let back: FrameSet = printed.parse().unwrap();
        prop_assert_eq!(&back, &set);
        prop_assert_eq!(back.to_string(), printed);
    }

    #[test]
    fn behaves_like_a_plain_set(one in set(), two in set(), index in 0u64..200) {
        let (a, b) = (plain(&one), plain(&two));
        let ranges: u64 = one.ranges().iter().map(StepRange::count).sum();
        prop_assert_eq!(ranges, a.len() as u64, "ranges share a frame");
        prop_assert_eq!(plain(&one.union(&two).unwrap()), &a | &b);
        prop_assert_eq!(plain(&one.difference(&two).unwrap()), &a - &b);
        prop_assert_eq!(plain(&one.intersection(&two).unwrap()), &a & &b);
        prop_assert_eq!(one.count_shared(&two), (&a & &b).len() as u64);
        prop_assert_eq!(one == two, a == b);
        prop_assert_eq!(one.iter().collect::<Vec<_>>(), a.iter().copied().collect::<Vec<_>>());
        prop_assert_eq!(one.nth(index), a.iter().nth(index as usize).copied());
        prop_assert_eq!(one.first(), a.first().copied());
        prop_assert_eq!(one.last(), a.last().copied());
        for frame in -70..150 {
            prop_assert_eq!(one.contains(frame), a.contains(&frame));
        }
    }

    #[test]
    fn chunks_and_rows_are_the_set_again(set in set(), size in 1u64..20) {
        let chunks = set.chunks(size);
        prop_assert!(chunks.iter().all(|chunk| chunk.count() <= size && !chunk.is_empty()));
        let whole: Vec<i64> = chunks.iter().flat_map(|chunk| chunk.iter().collect::<Vec<_>>()).collect();
        prop_assert_eq!(&whole, &set.iter().collect::<Vec<_>>());
        let rows: Vec<i64> = set.gapless(size).into_iter().flat_map(|(a, b)| a..=b).collect();
        prop_assert_eq!(rows, whole);
    }

    #[test]
    fn any_text_is_read_or_refused(text in "[-0-9,/ not]{0,24}") {
        if let Err(error) = text.parse::<FrameSet>() {
            prop_assert!(text.get(error.span.clone()).is_some(), "{:?} in {:?}", error.span, text);
        }
    }
}

#[test]
fn a_thousand_million_frames_stay_one_range() {
    let all: FrameSet = "1-1000000000".parse().unwrap();
    assert_eq!(all.count(), 1_000_000_000);
    assert_eq!(all.ranges().len(), 1);
    let odd = all.difference(&"2-1000000000/2".parse().unwrap()).unwrap();
    assert_eq!(odd.count(), 500_000_000);
    assert_eq!(odd.to_string(), "1-999999999/2");
    assert_eq!(odd.nth(499_999_999), Some(999_999_999));
    assert_eq!(odd.union(&"2-1000000000/2".parse().unwrap()).unwrap(), all);
}

#[test]
fn a_set_that_would_not_fit_is_refused() {
    let all: FrameSet = "1-1000000000".parse().unwrap();
    let sparse: FrameSet = "1-1000000000/250001".parse().unwrap();
    assert!(all.difference(&sparse).is_err());
}
