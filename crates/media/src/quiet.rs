//! Decoders that panic on damaged files do so without a word on the terminal.

use std::cell::Cell;
use std::panic::{self, AssertUnwindSafe};
use std::sync::Once;

thread_local! {
    static IS_DECODING: Cell<bool> = const { Cell::new(false) };
}

static HOOK: Once = Once::new();

/// Runs a decoder; none where it panics. Panics elsewhere are reported as before.
pub(crate) fn decoding<T>(decode: impl FnOnce() -> T) -> Option<T> {
    HOOK.call_once(|| {
        let before = panic::take_hook();
        panic::set_hook(Box::new(move |panic| {
            if !IS_DECODING.get() {
                before(panic);
            }
        }));
    });
    IS_DECODING.set(true);
    let decoded = panic::catch_unwind(AssertUnwindSafe(decode));
    IS_DECODING.set(false);
    decoded.ok()
}
