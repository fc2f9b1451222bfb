//! Numbered records of an exchange structure, and how values are written (ISO 10303-21).

use std::collections::HashMap;
use std::fmt;

use geometry::{Point3, Vector3};

/// The number of a record, written `#n`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Id(usize);

impl fmt::Display for Id {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "#{}", self.0)
    }
}

/// Records in the order they were added; equal ones are written once.
pub(super) struct Records {
    text: String,
    count: usize,
    known: HashMap<String, Id>,
}

impl Records {
    pub(super) fn new() -> Self {
        Self { text: String::new(), count: 0, known: HashMap::new() }
    }

    /// A record that may only exist once for each thing it stands for, such as an edge.
    pub(super) fn add(&mut self, record: String) -> Id {
        self.count += 1;
        let id = Id(self.count);
        self.text.push_str(&format!("{id}={record};\n"));
        id
    }

    /// A record that is nothing but its value, such as a point.
    pub(super) fn value(&mut self, record: String) -> Id {
        if let Some(id) = self.known.get(&record) {
            return *id;
        }
        let id = self.add(record.clone());
        self.known.insert(record, id);
        id
    }

    pub(super) fn point(&mut self, p: &Point3) -> Id {
        self.value(format!("CARTESIAN_POINT('',({},{},{}))", real(p.x), real(p.y), real(p.z)))
    }

    pub(super) fn direction(&mut self, d: &Vector3) -> Id {
        self.value(format!("DIRECTION('',({},{},{}))", real(d.x), real(d.y), real(d.z)))
    }

    pub(super) fn placement(&mut self, origin: &Point3, z: &Vector3, x: &Vector3) -> Id {
        let (origin, z, x) = (self.point(origin), self.direction(z), self.direction(x));
        self.value(format!("AXIS2_PLACEMENT_3D('',{origin},{z},{x})"))
    }

    pub(super) fn placement_at_origin(&mut self) -> Id {
        self.placement(&Point3::origin(), &Vector3::z(), &Vector3::x())
    }

    pub(super) fn into_bytes(self) -> Vec<u8> {
        self.text.into_bytes()
    }
}

/// A real with its decimal point; the shortest text that reads back to the same number.
pub(super) fn real(x: f64) -> String {
    let short = format!("{:?}", x + 0.0).to_uppercase();
    match short.split_once('E') {
        Some((mantissa, exponent)) => {
            let point = if mantissa.contains('.') { "" } else { "." };
            format!("{mantissa}{point}E{exponent}")
        }
        None => short.strip_suffix(".0").map(|whole| format!("{whole}.")).unwrap_or(short),
    }
}

/// A string: quotes and backslashes doubled, what is not printable ASCII as `\X2\` code units.
pub(super) fn text(s: &str) -> String {
    let mut out = String::from("'");
    for c in s.chars() {
        match c {
            '\'' => out.push_str("''"),
            '\\' => out.push_str("\\\\"),
            ' '..='~' => out.push(c),
            _ => {
                out.push_str("\\X2\\");
                for unit in c.encode_utf16(&mut [0; 2]) {
                    out.push_str(&format!("{unit:04X}"));
                }
                out.push_str("\\X0\\");
            }
        }
    }
    out.push('\'');
    out
}

/// A list of whatever can be written.
pub(super) fn list<T: fmt::Display>(items: &[T]) -> String {
    let items: Vec<String> = items.iter().map(ToString::to_string).collect();
    format!("({})", items.join(","))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reals_and_strings_follow_iso_10303_21() {
        // FF-15: 0., 1., 2.E1 parse as 0, 1, 20; it's café is written it''s caf\X2\00E9\X0\.
        assert_eq!(real(0.0), "0.");
        assert_eq!(real(-0.0), "0.");
        assert_eq!(real(1.0), "1.");
        assert_eq!(real(0.1), "0.1");
        assert_eq!(real(1e-20), "1.E-20");
        assert_eq!(text("it's café"), r"'it''s caf\X2\00E9\X0\'");
    }
}
