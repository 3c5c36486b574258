//! How the value of a token is written.

use std::fmt;

/// What stands behind the colon of a token.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Format {
    /// `04`: a number with at least this many digits, the sign not counted.
    Digits(u8),
    /// `?`: any number of digits; only to recognise names, never to write them.
    AnyDigits,
    /// `upper`: capital letters.
    Upper,
    /// `lower`: small letters.
    Lower,
    /// `slug`: small letters and digits, everything else one `-`.
    Slug,
    /// `%Y%m%d` and the like: a date, by the conversions of strftime (POSIX).
    Date(String),
}

impl Format {
    /// The most digits that a format may ask for.
    pub(crate) const MOST_DIGITS: u8 = 18;

    /// Reads what stands behind the colon.
    ///
    /// # Errors
    /// A sentence that says what would work.
    pub fn parse(text: &str) -> Result<Self, String> {
        if text.starts_with('%') {
            return Ok(Self::Date(text.to_owned()));
        }
        match text {
            "?" => return Ok(Self::AnyDigits),
            "upper" => return Ok(Self::Upper),
            "lower" => return Ok(Self::Lower),
            "slug" => return Ok(Self::Slug),
            _ => {}
        }
        if !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit()) {
            let width = text.strip_prefix('0').unwrap_or(text);
            return match width.parse::<u8>() {
                Ok(digits)
                    if text.starts_with('0') && (1..=Self::MOST_DIGITS).contains(&digits) =>
                {
                    Ok(Self::Digits(digits))
                }
                Ok(digits) if (1..=Self::MOST_DIGITS).contains(&digits) => {
                    Err(format!("digits are padded with zeros: write `0{digits}`"))
                }
                _ => Err(format!(
                    "a number takes from `01` to `0{}` digits",
                    Self::MOST_DIGITS
                )),
            };
        }
        let near = crate::nearest::nearest(text, ["upper", "lower", "slug"]);
        Err(match near {
            Some(near) => format!("did you mean `{near}`?"),
            None => {
                "a format is `04` (digits), `upper`, `lower`, `slug`, or a date such as `%Y%m%d`"
                    .to_owned()
            }
        })
    }
}

impl fmt::Display for Format {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Digits(digits) => write!(out, "0{digits}"),
            Self::AnyDigits => out.write_str("?"),
            Self::Upper => out.write_str("upper"),
            Self::Lower => out.write_str("lower"),
            Self::Slug => out.write_str("slug"),
            Self::Date(pattern) => out.write_str(pattern),
        }
    }
}
