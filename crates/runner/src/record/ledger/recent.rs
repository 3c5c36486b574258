//! Values that many have.

use std::sync::Arc;

/// So many values are looked through before a new one is made.
const RECENT: usize = 16;

/// The values that were asked for last: neighbours mostly have the same.
#[derive(Debug, Clone)]
pub(super) struct Recent<T: ?Sized>(Vec<Arc<T>>);

impl<T: ?Sized> Default for Recent<T> {
    fn default() -> Self {
        Self(Vec::new())
    }
}

impl<T: ?Sized> Recent<T> {
    /// The one that is it, else a new one.
    pub(super) fn get(
        &mut self,
        is_it: impl Fn(&T) -> bool,
        new: impl FnOnce() -> Arc<T>,
    ) -> Arc<T> {
        if let Some(known) = self.0.iter().find(|one| is_it(one)) {
            return Arc::clone(known);
        }
        let new = new();
        self.0.truncate(RECENT - 1);
        self.0.insert(0, Arc::clone(&new));
        new
    }
}
