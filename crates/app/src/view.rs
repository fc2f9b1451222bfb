//! What the browser shows of a part: one GLB with meshes, and in its extras curves, edges, marks and the report.

use std::collections::HashSet;

use exchange::glb::{self, SceneBody};
use geometry::{NurbsCurve, Point3, flatten};
use part::{Display, Rebuilt, Recipe, Shape, report};
use serde_json::{Value, json};
use topology::{Body, Mesh, MeshTolerance, Shell, free_edges};

/// Chord tolerance of what is shown, as a share of the part's size; about a pixel on most screens; shading uses exact normals.
const CHORD_SHARE: f64 = 1.0 / 700.0;
const CHORD_LIMITS: [f64; 2] = [0.002, 5.0];

pub fn view(recipe: &Recipe, rebuilt: &Rebuilt) -> Vec<u8> {
    let chord = chord(rebuilt);
    let tolerance = MeshTolerance::chord(chord);
    let (mut scene, mut edges, mut drawings, mut backdrop) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for (i, step) in recipe.steps.iter().enumerate() {
        let Some(built) = rebuilt.built(i) else { continue };
        if let Shape::Drawing(drawing) = &built.shape {
            let curves: Vec<Value> = drawing
                .curves
                .iter()
                .map(|c| {
                    json!({
                        "id": c.id,
                        "points": c.points.iter().map(|p| [p.x, p.y]).collect::<Vec<_>>(),
                        "control": c.curve.control_points().iter().map(|p| {
                            let q = drawing.frame.flattened(p);
                            [q.x, q.y]
                        }).collect::<Vec<_>>(),
                        "line": polyline(&c.curve, chord),
                    })
                })
                .collect();
            let frame = drawing.frame;
            drawings.push(json!({
                "step": step.id,
                "hidden": step.display == Display::Hide,
                "frame": {"origin": xyz(&frame.origin), "x": frame.x.as_slice(), "y": frame.y.as_slice()},
                "curves": curves,
            }));
            continue;
        }
        let shown = match step.display {
            Display::Auto => rebuilt.is_result(i),
            Display::Show | Display::Backdrop => true,
            Display::Hide => false,
        };
        let Some(body) = built.shape.body().filter(|_| shown) else { continue };
        if step.display == Display::Backdrop {
            backdrop.push(step.id.clone());
        }
        match SceneBody::new(&step.id, &step.name, body, tolerance) {
            Ok(meshes) => {
                for (shell, mesh) in body.shells().into_iter().zip(meshes.meshes()) {
                    edges.extend(edge_lines(&step.id, shell, mesh));
                }
                scene.push(meshes);
            }
            Err(error) => tracing::warn!(step = step.id, %error, "not shown"),
        }
    }
    let extras = json!({
        "report": report(recipe, rebuilt),
        "drawings": drawings,
        "edges": edges,
        "backdrop": backdrop,
        "chord": chord,
    });
    glb::write(&scene, &extras)
}

fn xyz(p: &Point3) -> [f64; 3] {
    (*p).into()
}

/// A tenth of a micrometre is below what any screen shows, and keeps the message short.
fn short(p: &Point3) -> [f64; 3] {
    [p.x, p.y, p.z].map(|x| (x * 1e4).round() / 1e4)
}

fn polyline(curve: &NurbsCurve, chord: f64) -> Vec<[f64; 3]> {
    flatten(curve, chord * 0.5).iter().map(|(_, p)| short(p)).collect()
}

fn edge_lines(step: &str, shell: &Shell, mesh: &Mesh) -> Vec<Value> {
    let free: HashSet<usize> = free_edges(shell).into_iter().map(topology::EdgeId::index).collect();
    mesh.edges
        .iter()
        .enumerate()
        .filter(|(_, line)| line.len() > 1)
        .map(|(i, line)| {
            let points: Vec<_> = line.iter().map(|&p| short(&mesh.positions[p as usize])).collect();
            json!({"step": step, "free": free.contains(&i), "line": points})
        })
        .collect()
}

/// Chord tolerance by the size of everything that is built.
fn chord(rebuilt: &Rebuilt) -> f64 {
    let mut bounds: Option<(Point3, Point3)> = None;
    let mut hold = |p: &Point3| {
        let (low, high) = bounds.unwrap_or((*p, *p));
        bounds = Some((low.inf(p), high.sup(p)));
    };
    for i in 0..rebuilt.steps.len() {
        match rebuilt.built(i).map(|b| &b.shape) {
            Some(Shape::Drawing(d)) => {
                d.curves.iter().flat_map(|c| c.curve.control_points()).for_each(|p| hold(&p));
            }
            Some(shape) => {
                let vertices = shape.body().into_iter().flat_map(Body::shells).flat_map(|s| s.vertices());
                vertices.for_each(|v| hold(&v.point));
            }
            None => {}
        }
    }
    let size = bounds.map_or(100.0, |(low, high)| (high - low).norm());
    (size * CHORD_SHARE).clamp(CHORD_LIMITS[0], CHORD_LIMITS[1])
}
