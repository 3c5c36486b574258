//! Rows of numbers that loops take.

/// So many rounds of a loop are read at most.
const MOST_ROUNDS: usize = 100_000;

/// The numbers of a row, up or down.
pub(super) fn numbers(first: &str, step: &str, last: &str) -> Option<Vec<String>> {
    let number = |text: &str| text.trim().parse::<i64>().ok();
    let (mut at, step, last) = (number(first)?, number(step)?, number(last)?);
    let mut all = Vec::new();
    while step != 0 && all.len() < MOST_ROUNDS && (if step > 0 { at <= last } else { at >= last }) {
        all.push(at.to_string());
        at = at.checked_add(step)?;
    }
    (!all.is_empty()).then_some(all)
}
