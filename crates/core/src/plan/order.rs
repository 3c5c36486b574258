//! The order of the processes.

/// The numbers below `count`, first, last, middle, then ever finer.
#[must_use]
pub fn spread(count: usize) -> Vec<usize> {
    let Some(last) = count.checked_sub(1) else {
        return Vec::new();
    };
    let mut order = vec![0];
    if last > 0 {
        order.push(last);
    }
    let mut gaps = vec![(0, last)];
    while !gaps.is_empty() {
        let mut finer = Vec::with_capacity(gaps.len() * 2);
        for (low, high) in gaps {
            if high - low > 1 {
                let middle = low + (high - low) / 2;
                order.push(middle);
                finer.push((low, middle));
                finer.push((middle, high));
            }
        }
        gaps = finer;
    }
    order
}

/// Things in this order; where there is a hole in it, they are left out.
pub(super) fn permuted<T>(things: Vec<T>, order: &[usize]) -> Vec<T> {
    let mut things: Vec<Option<T>> = things.into_iter().map(Some).collect();
    order
        .iter()
        .filter_map(|index| things.get_mut(*index)?.take())
        .collect()
}

/// Takes one of each in turn, until none has any left.
pub(super) fn by_turns<T>(rows: Vec<Vec<T>>) -> Vec<T> {
    let mut rows: Vec<_> = rows.into_iter().map(Vec::into_iter).collect();
    let mut out = Vec::new();
    loop {
        let before = out.len();
        for row in &mut rows {
            out.extend(row.next());
        }
        if out.len() == before {
            return out;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ends_and_middle_come_first() {
        assert_eq!(spread(9), [0, 8, 4, 2, 6, 1, 3, 5, 7]);
        assert_eq!(spread(2), [0, 1]);
        assert_eq!(spread(1), [0]);
        assert_eq!(spread(0), [0; 0]);
    }

    #[test]
    fn every_number_comes_once() {
        for count in 0..200 {
            let mut order = spread(count);
            order.sort_unstable();
            assert_eq!(order, (0..count).collect::<Vec<_>>());
        }
    }
}
