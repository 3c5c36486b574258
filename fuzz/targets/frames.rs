//! Frames: what is read is written again as the same set, and the operations on sets keep the laws
//! of sets without listing a frame.
#![no_main]

use libfuzzer_sys::fuzz_target;
use truepath_core::frames::FrameSet;

// Two sets and a frame, a line each.
fuzz_target!(|input: &str| {
    let mut lines = input.splitn(3, '\n');
    let mut next = || lines.next().unwrap_or_default();
    let (Some(one), Some(other)) = (set(next()), set(next())) else {
        return;
    };
    let frame = next().parse().unwrap_or(0);
    let (Ok(both), Ok(shared), Ok(rest)) =
        (one.union(&other), one.intersection(&other), one.difference(&other))
    else {
        return;
    };
    assert_eq!(
        u128::from(both.count()) + u128::from(shared.count()),
        u128::from(one.count()) + u128::from(other.count())
    );
    assert_eq!(rest.count() + shared.count(), one.count());
    assert_eq!(one.count_shared(&other), shared.count());
    assert_eq!(both.contains(frame), one.contains(frame) || other.contains(frame));
    assert_eq!(rest.contains(frame), one.contains(frame) && !other.contains(frame));
    if let Some(first) = one.first() {
        assert!(one.contains(first) && one.nth(0) == Some(first));
        assert_eq!(one.nth(one.count() - 1), one.last());
    }
});

fn set(text: &str) -> Option<FrameSet> {
    match text.parse::<FrameSet>() {
        Ok(set) => {
            // No frames at all, as of `16 not 2-35`, have no text of their own.
            assert!(set.is_empty() || text_is_kept(&set));
            Some(set)
        }
        Err(error) => {
            assert!(text.get(error.span.clone()).is_some(), "{error:?}");
            None
        }
    }
}

fn text_is_kept(set: &FrameSet) -> bool {
    set.to_string().parse::<FrameSet>().as_ref() == Ok(set)
}
