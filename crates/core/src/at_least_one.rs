//! Lists that are never empty.

use std::ops::Deref;
use std::sync::Arc;

/// A list with at least one item. Copies share the items.
#[derive(Debug, PartialEq, Eq, Hash)]
pub struct AtLeastOne<T>(Arc<Vec<T>>);

impl<T> AtLeastOne<T> {
    /// A list of one item.
    #[must_use]
    pub fn one(item: T) -> Self {
        Self(Arc::new(vec![item]))
    }

    /// A list of these items; none where there are none.
    #[must_use]
    pub fn new(items: Vec<T>) -> Option<Self> {
        (!items.is_empty()).then(|| Self(Arc::new(items)))
    }

    /// The first.
    #[must_use]
    pub fn first(&self) -> &T {
        // Nothing makes one without an item.
        &self.0[0]
    }

    /// Whether two are copies of one list: quicker than comparing their items.
    #[must_use]
    pub(crate) fn is_copy_of(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }

    /// A list of what each item gives.
    #[must_use]
    pub fn map<U>(&self, change: impl FnMut(&T) -> U) -> AtLeastOne<U> {
        AtLeastOne(Arc::new(self.0.iter().map(change).collect()))
    }
}

impl<T: Clone> AtLeastOne<T> {
    /// Adds an item at the end; copies keep what they have.
    pub fn push(&mut self, item: T) {
        Arc::make_mut(&mut self.0).push(item);
    }
}

impl<T> Clone for AtLeastOne<T> {
    fn clone(&self) -> Self {
        Self(Arc::clone(&self.0))
    }
}

impl<T> Deref for AtLeastOne<T> {
    type Target = [T];

    fn deref(&self) -> &[T] {
        &self.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn there_is_always_a_first() {
        assert!(AtLeastOne::<u8>::new(Vec::new()).is_none());
        let some = AtLeastOne::new(vec![3, 4]).unwrap();
        assert_eq!((*some.first(), some.len()), (3, 2));
        assert_eq!(&some.map(|one| one * 2)[..], [6, 8]);
        let mut one = AtLeastOne::one(7);
        let copy = one.clone();
        one.push(8);
        assert_eq!((&one[..], &copy[..]), (&[7, 8][..], &[7][..]));
    }
}
