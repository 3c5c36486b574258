//! Texts that differ in nothing but their numbers.

/// A text with `#` for every row of digits: messages of one cause are the same text, whatever frame or
/// line they name.
///
/// ```
/// use truepath_core::alike::without_numbers;
///
/// assert_eq!(without_numbers("frame 12: lamp 7 is off"), "frame #: lamp # is off");
/// ```
#[must_use]
pub fn without_numbers(text: &str) -> String {
    let mut out = String::new();
    let mut in_number = false;
    for c in text.chars() {
        let is_digit = c.is_ascii_digit();
        if !is_digit {
            out.push(c);
        } else if !in_number {
            out.push('#');
        }
        in_number = is_digit;
    }
    out
}
