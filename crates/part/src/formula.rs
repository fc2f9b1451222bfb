//! Formulas: numbers with units, parameter names, `+ - * / ^`, brackets and a few functions, checked for what they
//! measure.

use std::collections::BTreeMap;

use crate::limits::{DEEPEST_FORMULA, LONGEST_FORMULA, told};
use crate::{Amount, LengthUnit, Quantity};

/// What is wrong with a formula.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum FormulaError {
    /// Something stands where it cannot.
    #[error(
        "`{formula}` cannot be read at `{at}`; write numbers, units (mm, cm, m, in, deg, rad), names and + - * / ^ ( )"
    )]
    Syntax {
        /// The whole formula.
        formula: String,
        /// From where on it cannot be read.
        at: String,
    },
    /// A name that is no parameter.
    #[error("there is no parameter `{0}`; add it, or correct the name")]
    Unknown(String),
    /// Parameters that depend on each other in a circle.
    #[error("the parameters {0} depend on each other in a circle; give one of them a plain value")]
    Circle(String),
    /// Lengths, angles and plain numbers mixed up.
    #[error("`{formula}`: {found}; {cure}")]
    Measure {
        /// The whole formula.
        formula: String,
        /// What does not fit.
        found: String,
        /// What would.
        cure: String,
    },
    /// Longer than anybody writes.
    #[error("the formula `{formula}` has more than {most} characters; name parts of it as parameters")]
    TooLong {
        /// How it begins.
        formula: String,
        /// How many characters it may have.
        most: usize,
    },
    /// Brackets within brackets beyond measure.
    #[error("the formula `{formula}` is nested more than {most} deep; name parts of it as parameters")]
    TooDeep {
        /// How it begins.
        formula: String,
        /// How deep it may be.
        most: usize,
    },
    /// The value is not a usable number.
    #[error("`{0}` has no finite value; check for a division by zero")]
    NotFinite(String),
}

/// A value with its dimension: exponents of length and angle.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Value {
    pub number: f64,
    pub length: i32,
    pub angle: i32,
}

impl Value {
    fn plain(number: f64) -> Self {
        Self { number, length: 0, angle: 0 }
    }

    fn kind(&self) -> String {
        match (self.length, self.angle) {
            (0, 0) => "a plain number".into(),
            (1, 0) => "a length".into(),
            (2, 0) => "an area".into(),
            (3, 0) => "a volume".into(),
            (0, 1) => "an angle".into(),
            (l, a) => format!("length^{l} angle^{a}"),
        }
    }
}

/// Parameter values by name.
pub(crate) type Scope = BTreeMap<String, Value>;

/// Evaluates an amount to millimetres, radians or a plain number.
pub(crate) fn evaluate(
    amount: &Amount,
    quantity: Quantity,
    unit: LengthUnit,
    scope: &Scope,
) -> Result<f64, FormulaError> {
    let (text, value) = match amount {
        Amount::Number(n) => (n.to_string(), Value::plain(*n)),
        Amount::Formula(text) => (text.clone(), parse(text, scope)?),
    };
    let plain = value.length == 0 && value.angle == 0;
    let number = match quantity {
        Quantity::Length if value.length == 1 && value.angle == 0 => value.number,
        Quantity::Length if plain => value.number * unit.millimetres(),
        Quantity::Angle if value.angle == 1 && value.length == 0 => value.number,
        Quantity::Angle if plain => value.number.to_radians(),
        Quantity::Ratio | Quantity::Count if plain => value.number,
        _ => {
            let (wanted, cure) = match quantity {
                Quantity::Length => ("a length", "give a length such as 2 mm"),
                Quantity::Angle => ("an angle", "give an angle such as 90 deg"),
                Quantity::Ratio | Quantity::Count => ("a plain number", "leave the unit out"),
            };
            let found = format!("it is {}, and {wanted} is needed", value.kind());
            return Err(FormulaError::Measure { formula: told(&text), found, cure: cure.into() });
        }
    };
    if !number.is_finite() {
        return Err(FormulaError::NotFinite(told(&text)));
    }
    if quantity == Quantity::Count && (number.fract().abs() > 1e-9 || number < 0.0) {
        let found = format!("{number} is no whole number");
        return Err(FormulaError::Measure {
            formula: told(&text),
            found,
            cure: "give a whole number such as 6".into(),
        });
    }
    Ok(number)
}

/// Every name in a formula that is neither a unit nor a function.
#[must_use]
pub fn names_in(text: &str) -> Vec<String> {
    let mut names = Vec::new();
    let mut word = String::new();
    for c in text.chars().chain([' ']) {
        if c.is_alphanumeric() || c == '_' {
            word.push(c);
            continue;
        }
        let is_name = word.starts_with(|c: char| c.is_alphabetic() || c == '_');
        if is_name
            && unit_value(&word).is_none()
            && word != "pi"
            && word != ALONG
            && !FUNCTIONS.contains(&word.as_str())
        {
            names.push(std::mem::take(&mut word));
        }
        word.clear();
    }
    names
}

/// The formula with one name changed wherever it stands as a word of its own.
pub(crate) fn renamed(text: &str, name: &str, to: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut word = String::new();
    for c in text.chars() {
        if c.is_alphanumeric() || c == '_' {
            word.push(c);
            continue;
        }
        out.push_str(if word == name { to } else { &word });
        word.clear();
        out.push(c);
    }
    out.push_str(if word == name { to } else { &word });
    out
}

/// In a value that changes along a path: the share of it, 0 to 1, that lies behind.
pub(crate) const ALONG: &str = "along";

pub(crate) const FUNCTIONS: [&str; 7] = ["sin", "cos", "tan", "sqrt", "abs", "min", "max"];

pub(crate) fn unit_value(name: &str) -> Option<Value> {
    let value = |number, length, angle| Some(Value { number, length, angle });
    match name {
        "deg" => value(std::f64::consts::PI / 180.0, 0, 1),
        "rad" => value(1.0, 0, 1),
        _ => {
            let unit = LengthUnit::ALL.into_iter().find(|u| u.symbol() == name)?;
            value(unit.millimetres(), 1, 0)
        }
    }
}

/// Parses and evaluates a formula.
pub(crate) fn parse(text: &str, scope: &Scope) -> Result<Value, FormulaError> {
    let mut reader = Reader { text, rest: text, scope, depth: 0 };
    if text.chars().count() > LONGEST_FORMULA {
        return Err(FormulaError::TooLong { formula: told(text), most: LONGEST_FORMULA });
    }
    let value = reader.sum()?;
    reader.skip_space();
    if reader.rest.is_empty() { Ok(value) } else { Err(reader.syntax()) }
}

struct Reader<'a> {
    text: &'a str,
    rest: &'a str,
    scope: &'a Scope,
    depth: usize,
}

impl Reader<'_> {
    fn syntax(&self) -> FormulaError {
        let at: String =
            if self.rest.is_empty() { "its end".into() } else { self.rest.chars().take(20).collect() };
        FormulaError::Syntax { formula: told(self.text), at: told(&at) }
    }

    fn measure(&self, found: String, cure: &str) -> FormulaError {
        FormulaError::Measure { formula: told(self.text), found, cure: cure.into() }
    }

    fn skip_space(&mut self) {
        self.rest = self.rest.trim_start();
    }

    fn take(&mut self, c: char) -> bool {
        self.skip_space();
        let taken = self.rest.strip_prefix(c);
        self.rest = taken.unwrap_or(self.rest);
        taken.is_some()
    }

    fn sum(&mut self) -> Result<Value, FormulaError> {
        let mut value = self.product()?;
        loop {
            let sign = if self.take('+') {
                1.0
            } else if self.take('-') {
                -1.0
            } else {
                return Ok(value);
            };
            let other = self.product()?;
            if (value.length, value.angle) != (other.length, other.angle) {
                let found = format!("{} and {} do not add", value.kind(), other.kind());
                return Err(self.measure(found, "give every number of the sum its unit"));
            }
            value.number += sign * other.number;
        }
    }

    fn product(&mut self) -> Result<Value, FormulaError> {
        let mut value = self.power()?;
        loop {
            let sign = if self.take('*') {
                1
            } else if self.take('/') {
                -1
            } else {
                return Ok(value);
            };
            let other = self.power()?;
            value.number = if sign > 0 { value.number * other.number } else { value.number / other.number };
            value.length += sign * other.length;
            value.angle += sign * other.angle;
        }
    }

    fn power(&mut self) -> Result<Value, FormulaError> {
        if self.take('-') {
            let value = self.nested(Self::power)?;
            return Ok(Value { number: -value.number, ..value });
        }
        let base = self.atom()?;
        if !self.take('^') {
            return Ok(base);
        }
        let exponent = self.nested(Self::power)?;
        let whole = exponent.number.fract() == 0.0 && exponent.number.abs() <= 9.0;
        let bare = base.length == 0 && base.angle == 0;
        if exponent.length != 0 || exponent.angle != 0 || (!bare && !whole) {
            let found = "an exponent must be a plain whole number here".into();
            return Err(self.measure(found, "write for example (2 mm)^2"));
        }
        let times = if bare { 0 } else { exponent.number as i32 };
        Ok(Value {
            number: base.number.powf(exponent.number),
            length: base.length * times,
            angle: base.angle * times,
        })
    }

    fn nested(
        &mut self,
        inner: impl Fn(&mut Self) -> Result<Value, FormulaError>,
    ) -> Result<Value, FormulaError> {
        self.depth += 1;
        if self.depth > DEEPEST_FORMULA {
            return Err(FormulaError::TooDeep { formula: told(self.text), most: DEEPEST_FORMULA });
        }
        let value = inner(self);
        self.depth -= 1;
        value
    }

    fn atom(&mut self) -> Result<Value, FormulaError> {
        if self.take('(') {
            let value = self.nested(Self::sum)?;
            return if self.take(')') { Ok(value) } else { Err(self.syntax()) };
        }
        self.skip_space();
        let digits = number_length(self.rest);
        if digits > 0 {
            let (number, rest) = self.rest.split_at(digits);
            let number: f64 = number.parse().map_err(|_| self.syntax())?;
            self.rest = rest;
            let before = self.rest;
            if let Some(unit) = self.word().as_deref().and_then(unit_value) {
                return Ok(Value { number: number * unit.number, ..unit });
            }
            self.rest = before;
            return Ok(Value::plain(number));
        }
        let Some(name) = self.word() else { return Err(self.syntax()) };
        if FUNCTIONS.contains(&name.as_str()) {
            return self.function(&name);
        }
        if name == "pi" {
            return Ok(Value::plain(std::f64::consts::PI));
        }
        self.scope
            .get(&name)
            .copied()
            .or_else(|| unit_value(&name))
            .ok_or_else(|| FormulaError::Unknown(told(&name)))
    }

    fn word(&mut self) -> Option<String> {
        self.skip_space();
        let end = self.rest.find(|c: char| !(c.is_alphanumeric() || c == '_')).unwrap_or(self.rest.len());
        let (word, rest) = self.rest.split_at(end);
        if word.is_empty() || word.starts_with(|c: char| c.is_numeric()) {
            return None;
        }
        self.rest = rest;
        Some(word.to_string())
    }

    fn function(&mut self, name: &str) -> Result<Value, FormulaError> {
        if !self.take('(') {
            return Err(self.syntax());
        }
        let mut arguments = vec![self.nested(Self::sum)?];
        while self.take(',') {
            arguments.push(self.nested(Self::sum)?);
        }
        if !self.take(')') {
            return Err(self.syntax());
        }
        let first = arguments[0];
        let same = arguments.iter().all(|a| (a.length, a.angle) == (first.length, first.angle));
        let one = arguments.len() == 1;
        match name {
            "sin" | "cos" | "tan" if one && first.length == 0 && (first.angle == 1 || first.angle == 0) => {
                let radians = if first.angle == 1 { first.number } else { first.number.to_radians() };
                Ok(Value::plain(match name {
                    "sin" => radians.sin(),
                    "cos" => radians.cos(),
                    _ => radians.tan(),
                }))
            }
            "sqrt" if one && first.length % 2 == 0 && first.angle % 2 == 0 => {
                Ok(Value { number: first.number.sqrt(), length: first.length / 2, angle: first.angle / 2 })
            }
            "abs" if one => Ok(Value { number: first.number.abs(), ..first }),
            "min" if same => {
                Ok(arguments.iter().skip(1).fold(first, |m, a| if a.number < m.number { *a } else { m }))
            }
            "max" if same => {
                Ok(arguments.iter().skip(1).fold(first, |m, a| if a.number > m.number { *a } else { m }))
            }
            _ => Err(self.measure(format!("{name} cannot take that"), "check its arguments and their units")),
        }
    }
}

/// Length of the number at the start of a text: digits, a point, an exponent that is followed by digits.
fn number_length(text: &str) -> usize {
    let bytes = text.as_bytes();
    let digits = |from: usize| bytes[from..].iter().take_while(|b| b.is_ascii_digit()).count();
    let mut end = digits(0);
    let mut any = end > 0;
    if bytes.get(end) == Some(&b'.') {
        let after = digits(end + 1);
        any |= after > 0;
        end += 1 + after;
    }
    if !any {
        return 0;
    }
    if matches!(bytes.get(end), Some(b'e' | b'E')) {
        let sign = usize::from(matches!(bytes.get(end + 1), Some(b'+' | b'-')));
        let exponent = if end + 1 + sign <= bytes.len() { digits(end + 1 + sign) } else { 0 };
        if exponent > 0 {
            end += 1 + sign + exponent;
        }
    }
    end
}
