//! Sequences that collide in a chain belong together.

/// Union of sets that were found to belong together.
pub(super) struct Groups {
    parent: Vec<usize>,
    pub(super) size: Vec<usize>,
}

impl Groups {
    pub(super) fn new(count: usize) -> Self {
        Self {
            parent: (0..count).collect(),
            size: vec![1; count],
        }
    }

    pub(super) fn root(&mut self, mut index: usize) -> usize {
        while self.parent[index] != index {
            self.parent[index] = self.parent[self.parent[index]];
            index = self.parent[index];
        }
        index
    }

    pub(super) fn join(&mut self, one: usize, two: usize) {
        let (one, two) = (self.root(one), self.root(two));
        if one != two {
            let (low, high) = (one.min(two), one.max(two));
            self.parent[high] = low;
            self.size[low] += self.size[high];
        }
    }
}
