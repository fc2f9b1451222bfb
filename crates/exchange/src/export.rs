use std::io::{Cursor, Seek, Write};

use topology::{Body, Mesh, MeshTolerance, mesh};

use crate::{ExchangeError, glb, step, stl, three_mf};

/// Finest and coarsest chord tolerance, in millimetres.
const CHORD_LIMITS: [f64; 2] = [0.0005, 50.0];

/// A body under its name.
#[derive(Debug, Clone)]
pub struct NamedBody<'a> {
    /// What the user calls it.
    pub name: &'a str,
    /// The body.
    pub body: Body,
}

/// A format that can be written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Format {
    /// ISO 10303-21 with the AP242 schema: exact surfaces.
    Step,
    /// Binary STL: triangles.
    Stl,
    /// 3MF Core: triangles with units.
    ThreeMf,
    /// glTF 2.0 binary: triangles for viewing.
    Glb,
}

impl Format {
    /// All formats.
    pub const ALL: [Self; 4] = [Self::Step, Self::Stl, Self::ThreeMf, Self::Glb];

    /// The format of a file ending, with or without a point, in any case.
    ///
    /// # Errors
    /// `UnknownFormat`.
    pub fn from_ending(ending: &str) -> Result<Self, ExchangeError> {
        match ending.trim_start_matches('.').to_ascii_lowercase().as_str() {
            "step" | "stp" => Ok(Self::Step),
            "stl" => Ok(Self::Stl),
            "3mf" => Ok(Self::ThreeMf),
            "glb" => Ok(Self::Glb),
            other => Err(ExchangeError::UnknownFormat(other.chars().take(20).collect())),
        }
    }

    /// Its usual ending.
    #[must_use]
    pub fn ending(self) -> &'static str {
        match self {
            Self::Step => "step",
            Self::Stl => "stl",
            Self::ThreeMf => "3mf",
            Self::Glb => "glb",
        }
    }

    /// Its media type.
    #[must_use]
    pub fn media_type(self) -> &'static str {
        match self {
            Self::Step => "model/step",
            Self::Stl => "model/stl",
            Self::ThreeMf => "model/3mf",
            Self::Glb => "model/gltf-binary",
        }
    }
}

/// What is to be sent.
#[derive(Debug, Clone)]
pub struct Export<'a> {
    /// The part's name.
    pub part: &'a str,
    /// Its bodies.
    pub bodies: Vec<NamedBody<'a>>,
    /// Chord tolerance for triangles, in millimetres.
    pub chord: f64,
}

impl Export<'_> {
    /// The file's bytes; the same bytes for the same bodies.
    ///
    /// # Errors
    /// As for [`Export::write_to`].
    pub fn write(&self, format: Format) -> Result<Vec<u8>, ExchangeError> {
        let mut out = Cursor::new(Vec::new());
        self.write_to(format, &mut out)?;
        Ok(out.into_inner())
    }

    /// Writes the file piece by piece, so that large ones of triangles are never held as a whole.
    ///
    /// # Errors
    /// `Empty`, `Tolerance`, `NeedsSolid` for STL and 3MF of an open shell, `Coarse` for triangles that do not come
    /// within the chord tolerance, and `Written` for what the sink refuses.
    pub fn write_to(&self, format: Format, out: &mut (impl Write + Seek)) -> Result<(), ExchangeError> {
        if self.bodies.is_empty() {
            return Err(ExchangeError::Empty);
        }
        if !(CHORD_LIMITS[0]..=CHORD_LIMITS[1]).contains(&self.chord) {
            return Err(ExchangeError::Tolerance(self.chord));
        }
        match format {
            Format::Step => Ok(out.write_all(&step::write(self))?),
            Format::Stl => Ok(stl::write(self.part, &self.solid_meshes("STL")?, out)?),
            Format::ThreeMf => three_mf::write(self.part, &self.solid_meshes("3MF")?, out),
            Format::Glb => Ok(out.write_all(&glb::write(&self.meshes()?, &serde_json::Value::Null))?),
        }
    }

    fn meshes(&self) -> Result<Vec<glb::SceneBody>, ExchangeError> {
        let scene = |b: &NamedBody<'_>| {
            let scene = glb::SceneBody::new(b.name, b.name, &b.body, MeshTolerance::chord(self.chord))?;
            self.fine_enough(b.name, scene.meshes())?;
            Ok(scene)
        };
        self.bodies.iter().map(scene).collect()
    }

    fn solid_meshes(&self, format: &'static str) -> Result<Vec<(String, Vec<Mesh>)>, ExchangeError> {
        let tolerance = MeshTolerance::chord(self.chord);
        self.bodies
            .iter()
            .map(|b| {
                let Body::Solid(solid) = &b.body else {
                    return Err(ExchangeError::NeedsSolid { format, body: b.name.into() });
                };
                let meshes: Vec<Mesh> =
                    solid.shells().map(|s| mesh(s, tolerance)).collect::<Result<_, _>>()?;
                self.fine_enough(b.name, meshes.iter())?;
                Ok((b.name.to_string(), meshes))
            })
            .collect()
    }

    fn fine_enough<'m>(
        &self,
        body: &str,
        meshes: impl Iterator<Item = &'m Mesh>,
    ) -> Result<(), ExchangeError> {
        let reached = meshes.filter(|m| !m.converged).map(|m| m.max_deviation).reduce(f64::max);
        reached.map_or(Ok(()), |reached| {
            Err(ExchangeError::Coarse { body: body.into(), reached, asked: self.chord })
        })
    }
}
