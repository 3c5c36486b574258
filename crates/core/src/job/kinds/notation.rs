//! Numbers that are written as texts.

use std::time::Duration;

use crate::picture::Ratio;

/// `10%`, `1/8` or `0.125`.
pub(super) fn ratio(text: &str) -> Option<Ratio> {
    let decimal = |text: &str, unit: u32| -> Option<(u32, u32)> {
        let (whole, part) = text.split_once('.').unwrap_or((text, ""));
        if part.len() > 6
            || !(whole.to_owned() + part)
                .bytes()
                .all(|byte| byte.is_ascii_digit())
        {
            return None;
        }
        let denominator = 10_u32.pow(u32::try_from(part.len()).ok()?);
        let numerator = format!("{whole}{part}").parse().ok()?;
        Some((numerator, denominator.checked_mul(unit)?))
    };
    let (part, whole) = if let Some(percent) = text.strip_suffix('%') {
        decimal(percent.trim(), 100)?
    } else if let Some((part, whole)) = text.split_once('/') {
        (part.trim().parse().ok()?, whole.trim().parse().ok()?)
    } else {
        decimal(text, 1)?
    };
    Ratio::new(part, whole)
}

/// `90s`, `5m` or `2h`; none of no length.
#[must_use]
pub fn duration(text: &str) -> Option<Duration> {
    let unit = text.find(|c: char| !c.is_ascii_digit() && c != '.')?;
    let number: f64 = text[..unit].parse().ok()?;
    let seconds = match &text[unit..] {
        "s" => 1.0,
        "m" => 60.0,
        "h" => 3600.0,
        _ => return None,
    };
    Duration::try_from_secs_f64(number * seconds)
        .ok()
        .filter(|length| !length.is_zero())
}

/// `48GB` or `512MB`, in bytes: powers of ten.
pub(super) fn byte_count(text: &str) -> Option<i64> {
    let (number, unit) = text.strip_suffix('B')?.split_at_checked(text.len() - 2)?;
    let unit = match unit {
        "k" => 1e3,
        "M" => 1e6,
        "G" => 1e9,
        "T" => 1e12,
        _ => return None,
    };
    let number = number.trim_end();
    let digits = number
        .bytes()
        .all(|byte| byte.is_ascii_digit() || byte == b'.');
    let bytes = digits.then(|| number.parse::<f64>().ok()).flatten()? * unit;
    (1.0..1e18).contains(&bytes).then_some(bytes as i64)
}

/// `20M` or `800k`, in bits per second.
pub(super) fn bit_rate(text: &str) -> Option<i64> {
    let (number, unit) = match text.strip_suffix('M') {
        Some(number) => (number, 1_000_000.0),
        None => (text.strip_suffix('k')?, 1000.0),
    };
    let digits = number
        .bytes()
        .all(|byte| byte.is_ascii_digit() || byte == b'.');
    let bits = digits.then(|| number.parse::<f64>().ok()).flatten()? * unit;
    (1.0..1e12).contains(&bits).then_some(bits as i64)
}

/// The most parts that work is shared into.
const MOST_PARTS: u64 = 10_000;

/// `2/4`: the second of four parts.
pub(super) fn share(text: &str) -> Option<(u64, u64)> {
    let (part, of) = text.split_once('/')?;
    let (part, of) = (part.trim().parse().ok()?, of.trim().parse().ok()?);
    (1 <= part && part <= of && of <= MOST_PARTS).then_some((part, of))
}

/// `8,8,16,4`
pub(super) fn weights(text: &str) -> Option<Vec<u64>> {
    text.split(',')
        .map(|weight| {
            let weight = weight.trim().parse().ok()?;
            (1..=1_000_000).contains(&weight).then_some(weight)
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_read_as_people_write_them() {
        assert_eq!(ratio("12.5%"), Ratio::new(125, 1000));
        assert_eq!(ratio("64/45"), Ratio::new(64, 45));
        assert_eq!(duration("1.5m"), Some(Duration::from_secs(90)));
        assert_eq!(bit_rate("1.5M"), Some(1_500_000));
        assert_eq!(bit_rate("800k"), Some(800_000));
        assert_eq!(share("2/4"), Some((2, 4)));
        assert_eq!(weights("8, 16"), Some(vec![8, 16]));
        for wrong in ["0/4", "5/4", "2", "/", "1/0", "1/100000"] {
            assert_eq!(share(wrong), None, "{wrong}");
        }
        assert_eq!(weights("8,0"), None);
        for wrong in ["", "M", "20", "-1M", "1e3M", "0k", "20m"] {
            assert_eq!(bit_rate(wrong), None, "{wrong}");
        }
    }
}
