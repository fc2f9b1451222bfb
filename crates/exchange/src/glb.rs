//! glTF 2.0 binary (ISO/IEC 12113): one mesh per body, one primitive per face with its surface parameters as texture
//! coordinates and, where asked for, its curvatures. Positions are millimetres with z up; each node's matrix brings them to metres with y up.

use geometry::{box_of, diagonal};
use serde_json::{Value, json};
use topology::{Body, Face, Mesh, MeshTolerance, curvatures, mesh, thicknesses};

use crate::ExchangeError;

const FLOAT: u32 = 5126;
const UNSIGNED_INT: u32 = 5125;
const ARRAY_BUFFER: u32 = 34962;
const ELEMENT_ARRAY_BUFFER: u32 = 34963;
/// Column-major: x stays, z goes up to y, y goes back to -z, all in thousandths.
const TO_METRES: [f64; 16] =
    [0.001, 0.0, 0.0, 0.0, 0.0, 0.0, -0.001, 0.0, 0.0, 0.001, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0];

/// A body's meshes with the names of its faces.
#[derive(Debug, Clone)]
pub struct SceneBody {
    /// Stable id, such as the id of the step that made it.
    pub id: String,
    /// What the user calls it.
    pub name: String,
    shells: Vec<(Mesh, Vec<FaceTag>)>,
    /// Gaussian and mean curvature by shell, face and corner; nothing where not asked for.
    curvatures: Vec<Vec<Vec<[f64; 2]>>>,
    /// Thickness by shell, face and corner; nothing where not asked for, or of what is no solid.
    thicknesses: Vec<Vec<Vec<f64>>>,
}

/// What is said of a face beside its triangles.
#[derive(Debug, Clone)]
struct FaceTag {
    name: String,
    /// First and last parameter along u, then along v.
    domain: [f64; 4],
}

impl FaceTag {
    fn new(face: &Face) -> Self {
        let (u, v) = face.surface.domain();
        Self { name: face.role.clone(), domain: [u.start, u.end, v.start, v.end] }
    }
}

impl SceneBody {
    /// The mesh of a body within `tolerance`.
    ///
    /// # Errors
    /// A face that cannot be meshed.
    pub fn new(id: &str, name: &str, body: &Body, tolerance: MeshTolerance) -> Result<Self, ExchangeError> {
        let shells = body
            .shells()
            .into_iter()
            .map(|s| Ok((mesh(s, tolerance)?, s.faces().iter().map(FaceTag::new).collect())))
            .collect::<Result<_, ExchangeError>>()?;
        Ok(Self { id: id.into(), name: name.into(), shells, curvatures: Vec::new(), thicknesses: Vec::new() })
    }

    /// The same with Gaussian and mean curvature at every corner, for the body that it was made of.
    #[must_use]
    pub fn with_curvatures(mut self, body: &Body) -> Self {
        let pairs = body.shells().into_iter().zip(&self.shells);
        self.curvatures = pairs.map(|(shell, (mesh, _))| curvatures(shell, mesh)).collect();
        self
    }

    /// The same in triangles none of whose sides is longer than a share of the body, with the thickness at every corner, for the body
    /// that it was made of.
    #[must_use]
    pub fn with_thicknesses(mut self, body: &Body, share: f64) -> Self {
        let longest = share * diagonal(&box_of(self.meshes().flat_map(|m| &m.positions)));
        for (shell, (mesh, _)) in body.shells().into_iter().zip(&mut self.shells) {
            *mesh = mesh.divided(shell, longest);
        }
        self.thicknesses = thicknesses(body, &self.meshes().collect::<Vec<_>>());
        self
    }

    /// The same with other names of the faces, shell by shell.
    #[must_use]
    pub fn with_face_names<'a>(mut self, names: impl Iterator<Item = &'a Vec<String>>) -> Self {
        for ((_, tags), names) in self.shells.iter_mut().zip(names) {
            for (tag, name) in tags.iter_mut().zip(names) {
                tag.name.clone_from(name);
            }
        }
        self
    }

    /// The meshes, in the order of the body's shells.
    pub fn meshes(&self) -> impl Iterator<Item = &Mesh> {
        self.shells.iter().map(|s| &s.0)
    }
}

#[derive(Default)]
struct Buffer {
    bytes: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
}

impl Buffer {
    fn add(&mut self, bytes: impl Iterator<Item = [u8; 4]>, target: u32, mut accessor: Value) -> usize {
        let start = self.bytes.len();
        self.bytes.extend(bytes.flatten());
        let length = self.bytes.len() - start;
        self.views.push(json!({"buffer": 0, "byteOffset": start, "byteLength": length, "target": target}));
        accessor["bufferView"] = json!(self.views.len() - 1);
        self.accessors.push(accessor);
        self.accessors.len() - 1
    }
}

/// The file's bytes; `extras` stands in the document's own `extras`.
#[must_use]
pub fn write(bodies: &[SceneBody], extras: &Value) -> Vec<u8> {
    let mut buffer = Buffer::default();
    let (mut meshes, mut nodes) = (Vec::new(), Vec::new());
    for body in bodies {
        let mut primitives = Vec::new();
        for (k, (mesh, tags)) in body.shells.iter().enumerate() {
            for (f, face) in mesh.faces.iter().enumerate() {
                if face.triangles.is_empty() {
                    continue;
                }
                let points: Vec<[f32; 3]> = face
                    .vertices
                    .iter()
                    .map(|v| {
                        let p = mesh.positions[v.position as usize];
                        [p.x as f32, p.y as f32, p.z as f32]
                    })
                    .collect();
                let bound = |pick: fn(f32, f32) -> f32| {
                    points.iter().skip(1).fold(points[0], |b, p| [0, 1, 2].map(|k| pick(b[k], p[k])))
                };
                let count = points.len();
                let position = json!({"componentType": FLOAT, "count": count, "type": "VEC3", "min": bound(f32::min), "max": bound(f32::max)});
                let position =
                    buffer.add(points.iter().flatten().map(|x| x.to_le_bytes()), ARRAY_BUFFER, position);
                let normals = face.vertices.iter().flat_map(|v| [v.normal.x, v.normal.y, v.normal.z]);
                let normal = buffer.add(
                    normals.map(|x| (x as f32).to_le_bytes()),
                    ARRAY_BUFFER,
                    json!({"componentType": FLOAT, "count": count, "type": "VEC3"}),
                );
                let parameters = face.vertices.iter().flat_map(|v| v.uv);
                let parameters = buffer.add(
                    parameters.map(|x| (x as f32).to_le_bytes()),
                    ARRAY_BUFFER,
                    json!({"componentType": FLOAT, "count": count, "type": "VEC2"}),
                );
                let indices = buffer.add(
                    face.triangles.iter().flatten().map(|i| i.to_le_bytes()),
                    ELEMENT_ARRAY_BUFFER,
                    json!({"componentType": UNSIGNED_INT, "count": face.triangles.len() * 3, "type": "SCALAR"}),
                );
                let tag = tags.get(face.face.index());
                let mut attributes =
                    json!({"POSITION": position, "NORMAL": normal, "TEXCOORD_0": parameters});
                if let Some(bends) = body.curvatures.get(k).and_then(|s| s.get(f)) {
                    let accessor = json!({"componentType": FLOAT, "count": count, "type": "VEC2"});
                    let values = bends.iter().flatten().map(|x| (*x as f32).to_le_bytes());
                    attributes["_CURVATURE"] = json!(buffer.add(values, ARRAY_BUFFER, accessor));
                }
                if let Some(thick) = body.thicknesses.get(k).and_then(|s| s.get(f)) {
                    let accessor = json!({"componentType": FLOAT, "count": count, "type": "SCALAR"});
                    let values = thick.iter().map(|x| (*x as f32).to_le_bytes());
                    attributes["_THICKNESS"] = json!(buffer.add(values, ARRAY_BUFFER, accessor));
                }
                primitives.push(json!({
                    "attributes": attributes,
                    "indices": indices,
                    "extras": {"step": body.id, "role": tag.map(|t| &t.name), "domain": tag.map(|t| t.domain)},
                }));
            }
        }
        if primitives.is_empty() {
            continue;
        }
        nodes.push(json!({"mesh": meshes.len(), "name": body.name, "matrix": TO_METRES, "extras": {"step": body.id}}));
        meshes.push(json!({"name": body.name, "primitives": primitives}));
    }
    let mut document = json!({
        "asset": {"version": "2.0", "generator": "Kindred Shell"},
        "scene": 0,
        "scenes": [{"nodes": (0..nodes.len()).collect::<Vec<_>>()}],
    });
    if !nodes.is_empty() {
        document["nodes"] = json!(nodes);
        document["meshes"] = json!(meshes);
        document["accessors"] = json!(buffer.accessors);
        document["bufferViews"] = json!(buffer.views);
        document["buffers"] = json!([{"byteLength": buffer.bytes.len()}]);
    }
    if !extras.is_null() {
        document["extras"] = extras.clone();
    }
    let mut text = document.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut out = Vec::with_capacity(28 + text.len() + buffer.bytes.len());
    let chunks: Vec<(&[u8], &[u8])> = if nodes.is_empty() {
        vec![(b"JSON", &text)]
    } else {
        vec![(b"JSON", &text), (b"BIN\0", &buffer.bytes)]
    };
    let total = 12 + chunks.iter().map(|(_, c)| 8 + c.len()).sum::<usize>();
    out.extend(b"glTF");
    out.extend(2u32.to_le_bytes());
    out.extend((total as u32).to_le_bytes());
    for (kind, bytes) in chunks {
        out.extend((bytes.len() as u32).to_le_bytes());
        out.extend(kind);
        out.extend(bytes);
    }
    out
}
