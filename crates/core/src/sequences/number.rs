//! The numbers in a name.

/// A number of a name, as it is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct NumberedName {
    pub(super) value: i64,
    /// Its digits, the sign not counted.
    pub(super) digits: u8,
    /// Whether a minus stands before it: that of -0 is no part of the value.
    pub(super) is_negative: bool,
}

impl NumberedName {
    /// Whether it begins with a zero that only fills it up.
    pub(super) fn is_padded(self) -> bool {
        let natural = self.value.unsigned_abs().checked_ilog10().unwrap_or(0) + 1;
        u32::from(self.digits) > natural
    }

    /// As it is written.
    pub(super) fn text(self) -> String {
        let sign = if self.is_negative { "-" } else { "" };
        let width = usize::from(self.digits);
        format!("{sign}{:0width$}", self.value.unsigned_abs())
    }
}

/// More digits are no number of frames, but a date or a name: they are text.
const MOST_DIGITS: usize = 12;

/// The texts of a name around its numbers, and the numbers. A dash is a sign where no letter or digit stands before
/// it.
pub(super) fn numbers(name: &[u8]) -> (Vec<&[u8]>, Vec<NumberedName>) {
    let (mut texts, mut numbers) = (Vec::new(), Vec::new());
    let (mut start, mut at) = (0, 0);
    while at < name.len() {
        if !name[at].is_ascii_digit() {
            at += 1;
            continue;
        }
        let end = name[at..]
            .iter()
            .position(|byte| !byte.is_ascii_digit())
            .map_or(name.len(), |length| at + length);
        let text = std::str::from_utf8(&name[at..end]).unwrap_or_default();
        if let (true, Ok(value)) = (end - at <= MOST_DIGITS, text.parse::<i64>()) {
            let is_negative = at > start
                && name[at - 1] == b'-'
                && name[start..at - 1]
                    .last()
                    .map_or(start == 0, |before| !before.is_ascii_alphanumeric());
            let text_end = if is_negative { at - 1 } else { at };
            texts.push(&name[start..text_end]);
            numbers.push(NumberedName {
                value: if is_negative { -value } else { value },
                digits: (end - at) as u8,
                is_negative,
            });
            start = end;
        }
        at = end;
    }
    texts.push(&name[start..]);
    (texts, numbers)
}
