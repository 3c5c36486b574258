//! From light to display: how a scene-linear value becomes one that a screen takes.

/// A transfer function.
#[derive(Debug)]
pub struct TransferFacts {
    /// The word in job files.
    pub name: &'static str,
    /// From a scene-linear value (1.0 is white) to a value for display; both from 0 to 1.
    pub encode: fn(f64) -> f64,
    /// The document that defines it.
    pub source: &'static str,
}

impl PartialEq for TransferFacts {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

/// The transfers to choose from.
pub const TRANSFERS: [TransferFacts; 5] = [
    TransferFacts {
        name: "srgb",
        encode: |light| {
            if light <= 0.003_130_8 {
                12.92 * light
            } else {
                1.055 * light.powf(1.0 / 2.4) - 0.055
            }
        },
        source: "IEC 61966-2-1",
    },
    TransferFacts {
        name: "bt709",
        encode: |light| {
            if light < 0.018 {
                4.5 * light
            } else {
                1.099 * light.powf(0.45) - 0.099
            }
        },
        source: "ITU-R BT.709-6, item 1.2",
    },
    TransferFacts {
        name: "gamma-2.2",
        encode: |light| light.powf(1.0 / 2.2),
        source: "a plain power",
    },
    TransferFacts {
        name: "gamma-2.4",
        encode: |light| light.powf(1.0 / 2.4),
        source: "ITU-R BT.1886, its inverse, for a black of 0",
    },
    TransferFacts {
        name: "gamma-2.6",
        encode: |light| light.powf(1.0 / 2.6),
        source: "SMPTE ST 428-1, its inverse",
    },
];

/// The transfer with this name.
#[must_use]
pub fn transfer(name: &str) -> Option<&'static TransferFacts> {
    TRANSFERS.iter().find(|facts| facts.name == name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn black_and_white_stay_and_the_middle_is_known() {
        for facts in &TRANSFERS {
            let encode = facts.encode;
            assert!(encode(0.0).abs() < 1e-12 && (encode(1.0) - 1.0).abs() < 1e-9);
            let steps: Vec<f64> = (0..=1000)
                .map(|step| encode(f64::from(step) / 1000.0))
                .collect();
            assert!(steps.is_sorted(), "{}", facts.name);
        }
        // Middle gray of 18 %.
        let middle = |name: &str| (transfer(name).unwrap().encode)(0.18);
        assert!((middle("srgb") - 0.461_4).abs() < 1e-3);
        assert!((middle("bt709") - 0.409_0).abs() < 1e-3);
    }
}
