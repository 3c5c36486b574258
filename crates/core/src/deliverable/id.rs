//! Which deliverable is meant.

use std::fmt;
use std::ops::{Index, IndexMut};

/// A deliverable of an expansion, by its place in the order of the job. Lists that hold something for each deliverable are
/// indexed by it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct DeliverableId(usize);

impl DeliverableId {
    /// That of the deliverable at a place, from 0.
    #[must_use]
    pub const fn at(place: usize) -> Self {
        Self(place)
    }

    /// Its place, from 0.
    #[must_use]
    pub const fn place(self) -> usize {
        self.0
    }

    /// Those of so many deliverables, in their order.
    pub fn all(count: usize) -> impl DoubleEndedIterator<Item = Self> + ExactSizeIterator + Clone {
        (0..count).map(Self)
    }

    /// Items of a list that holds one for each deliverable, with the deliverable of each.
    pub fn with_each<T>(list: &[T]) -> impl DoubleEndedIterator<Item = (Self, &T)> + Clone {
        list.iter()
            .enumerate()
            .map(|(place, item)| (Self(place), item))
    }
}

impl fmt::Display for DeliverableId {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(out)
    }
}

impl<T> Index<DeliverableId> for Vec<T> {
    type Output = T;

    fn index(&self, id: DeliverableId) -> &T {
        &self[id.0]
    }
}

impl<T> IndexMut<DeliverableId> for Vec<T> {
    fn index_mut(&mut self, id: DeliverableId) -> &mut T {
        &mut self[id.0]
    }
}

impl<T> Index<DeliverableId> for [T] {
    type Output = T;

    fn index(&self, id: DeliverableId) -> &T {
        &self[id.0]
    }
}
