use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A unit of length that a user types and reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub enum LengthUnit {
    /// Millimetre.
    #[default]
    #[serde(rename = "mm")]
    Millimetre,
    /// Centimetre.
    #[serde(rename = "cm")]
    Centimetre,
    /// Metre.
    #[serde(rename = "m")]
    Metre,
    /// Inch, 25.4 mm (NIST Handbook 44, Appendix C).
    #[serde(rename = "in")]
    Inch,
}

impl LengthUnit {
    /// All units.
    pub const ALL: [Self; 4] = [Self::Millimetre, Self::Centimetre, Self::Metre, Self::Inch];

    /// How many millimetres one of it is.
    #[must_use]
    pub fn millimetres(self) -> f64 {
        match self {
            Self::Millimetre => 1.0,
            Self::Centimetre => 10.0,
            Self::Metre => 1000.0,
            Self::Inch => 25.4,
        }
    }

    /// Its sign.
    #[must_use]
    pub fn symbol(self) -> &'static str {
        match self {
            Self::Millimetre => "mm",
            Self::Centimetre => "cm",
            Self::Metre => "m",
            Self::Inch => "in",
        }
    }
}

/// What a number measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Quantity {
    /// A length, in millimetres inside.
    Length,
    /// An angle, in radians inside; a plain number is degrees.
    Angle,
    /// A plain number.
    Ratio,
    /// A whole number, 0 or more.
    Count,
}

/// A number or a formula as the user wrote it. A plain number is in the part's unit, or in degrees.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum Amount {
    /// A plain number.
    Number(f64),
    /// A formula with units and parameter names, for example `2*wall + 0.25 in`.
    Formula(String),
}

impl From<f64> for Amount {
    fn from(value: f64) -> Self {
        Self::Number(value)
    }
}

impl From<&str> for Amount {
    fn from(text: &str) -> Self {
        Self::Formula(text.into())
    }
}

impl std::fmt::Display for Amount {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Number(n) => write!(f, "{n}"),
            Self::Formula(text) => f.write_str(text),
        }
    }
}

/// A length in the unit with its sign, rounded to a thousandth of a millimetre's worth of digits.
#[must_use]
pub fn format_length(millimetres: f64, unit: LengthUnit) -> String {
    let digits = match unit {
        LengthUnit::Millimetre => 3,
        LengthUnit::Centimetre | LengthUnit::Inch => 4,
        LengthUnit::Metre => 6,
    };
    format!("{:.digits$} {}", millimetres / unit.millimetres(), unit.symbol())
}

/// Amounts that fields have when they are not given, and whether one is that.
pub(crate) mod amounts {
    use super::Amount;

    pub(crate) fn zero() -> Amount {
        Amount::Number(0.0)
    }

    pub(crate) fn half() -> Amount {
        Amount::Number(0.5)
    }

    pub(crate) fn one() -> Amount {
        Amount::Number(1.0)
    }

    pub(crate) fn ten_mm() -> Amount {
        "10 mm".into()
    }

    pub(crate) fn half_square() -> Amount {
        "45 deg".into()
    }

    pub(crate) fn one_mm() -> Amount {
        "1 mm".into()
    }

    pub(crate) fn two_mm() -> Amount {
        "2 mm".into()
    }

    pub(crate) fn five_mm() -> Amount {
        "5 mm".into()
    }

    pub(crate) fn hundredth_mm() -> Amount {
        "0.01 mm".into()
    }

    pub(crate) fn is_half(amount: &Amount) -> bool {
        *amount == half()
    }

    pub(crate) fn is_zero(amount: &Amount) -> bool {
        *amount == zero()
    }

    pub(crate) fn is_two_mm(amount: &Amount) -> bool {
        *amount == two_mm()
    }

    pub(crate) fn is_five_mm(amount: &Amount) -> bool {
        *amount == five_mm()
    }

    pub(crate) fn is_one(amount: &Amount) -> bool {
        *amount == one()
    }
}
