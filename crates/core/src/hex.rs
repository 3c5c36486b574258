//! Bytes as hexadecimal digits.

use std::fmt::Write;

/// Two lower-case digits for each byte.
#[must_use]
pub fn hex(bytes: &[u8]) -> String {
    let mut digits = String::with_capacity(2 * bytes.len());
    for byte in bytes {
        // Writing into a string does not fail.
        let _ = write!(digits, "{byte:02x}");
    }
    digits
}

#[cfg(test)]
mod tests {
    use super::hex;

    #[test]
    fn each_byte_has_two_digits() {
        assert_eq!(hex(&[0, 0x0a, 0xff]), "000aff");
        assert_eq!(hex(&[]), "");
    }
}
