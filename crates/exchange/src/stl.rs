//! Binary STL: an 80-byte header, a count, and 50 bytes per triangle, little endian (de-facto format).

use std::io::{BufWriter, Write};

use geometry::{Point3, Vector3};
use topology::Mesh;

pub(crate) fn write(part: &str, bodies: &[(String, Vec<Mesh>)], out: &mut impl Write) -> std::io::Result<()> {
    let meshes = || bodies.iter().flat_map(|(_, meshes)| meshes);
    let count: usize = meshes().map(|m| m.triangles().count()).sum();
    let mut out = BufWriter::new(out);
    // The header must not begin with `solid`, by which readers know the text form.
    let mut header = format!("Kindred Shell, mm: {part}").into_bytes();
    header.resize(80, b' ');
    out.write_all(&header)?;
    out.write_all(&(count as u32).to_le_bytes())?;
    for mesh in meshes() {
        for triangle in mesh.triangles() {
            let [a, b, c]: [Point3; 3] = triangle.map(|i| mesh.positions[i as usize]);
            let normal = (b - a).cross(&(c - a)).try_normalize(0.0).unwrap_or_else(Vector3::zeros);
            for v in [normal, a.coords, b.coords, c.coords] {
                for x in v.iter() {
                    out.write_all(&(*x as f32).to_le_bytes())?;
                }
            }
            out.write_all(&[0, 0])?;
        }
    }
    out.flush()
}
