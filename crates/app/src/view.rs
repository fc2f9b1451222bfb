//! What the browser shows of a part: one GLB with meshes, and in its extras curves, edges, marks and the report.

use std::collections::HashSet;

use exchange::glb::{self, SceneBody};
use geometry::{Frame, NurbsCurve, NurbsSurface, Point3, Tooth, flatten};
use part::{
    Built, CurveShape, Display, DrawingShape, Mark, OpenSheet, Pairing, PairingEnd, PairingLine, Rebuilt,
    Recipe, Shape, ShellNames, body_names, curve_ends, quick_report, report, sheet,
};
use schemars::JsonSchema;
use serde::Deserialize;
use serde_json::{Value, json};
use topology::{Body, Face, Mesh, MeshTolerance, Shell, free_edges, surface_combs};

/// Chord tolerance of what is shown, as a share of the part's size; about a pixel on most screens; shading uses exact normals.
const CHORD_SHARE: f64 = 1.0 / 700.0;
/// Ends nearer than this, in millimetres, make a closed curve.
const CLOSED: f64 = 1e-2;
const CHORD_LIMITS: [f64; 2] = [0.002, 5.0];

/// How far apart the places are at which the thickness of a solid is shown, as a share of its size.
const THICKNESS_SHARE: f64 = 1.0 / 70.0;

/// Combs of a face in either direction, and about how many teeth each has.
const COMB_LINES: usize = 5;
const COMB_TEETH: usize = 48;

/// How finely surfaces are shown; what they are stays the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Fineness {
    /// For large parts and slow screens.
    Coarse,
    /// About a pixel on most screens.
    #[default]
    Middle,
    /// For looking closely.
    Fine,
}

impl Fineness {
    fn chord(self) -> f64 {
        match self {
            Self::Coarse => 5.0,
            Self::Middle => 1.0,
            Self::Fine => 0.2,
        }
    }
}

/// What of the surfaces is shown besides; each costs a little.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Looks {
    /// Gaussian and mean curvature at every corner of the meshes.
    pub curvature: bool,
    /// The thickness of solids at every corner of finer meshes.
    pub thickness: bool,
    /// Curvature combs along parameter lines.
    pub combs: bool,
    /// Control nets of all faces.
    pub nets: bool,
    /// The pieces among which cards let one choose, those that go too.
    pub pieces: bool,
}

/// What is shown of a part, and how.
#[derive(Debug, Clone, Default)]
pub struct Shown {
    /// The sheet that is open.
    pub sheet: Option<OpenSheet>,
    /// How finely surfaces are shown.
    pub fineness: Fineness,
    /// What is shown besides.
    pub looks: Looks,
    /// Whether edits are in it that are not saved, so that another view comes soon.
    pub is_preview: bool,
}

/// The part as it is shown, and for the drawing whose sheet is open what its sheet shows besides.
pub fn view(recipe: &Recipe, rebuilt: &Rebuilt, how: &Shown) -> Vec<u8> {
    let chord = chord(rebuilt) * how.fineness.chord();
    let tolerance = MeshTolerance::chord(chord);
    let (mut scene, mut edges, mut backdrop) = (Vec::new(), Vec::new(), Vec::new());
    let (mut drawings, mut helpers, mut places, mut marks) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    let (mut nets, mut combs, mut pieces, mut pairings) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for (i, step) in recipe.steps.iter().enumerate() {
        let Some(built) = rebuilt.built(i) else { continue };
        let hidden = step.display == Display::Hide;
        marks.extend(built.marks.iter().map(|m| mark_json(&step.id, m, chord)));
        pairings.extend(built.pairing.iter().map(|p| pairing_json(&step.id, p, chord)));
        nets.extend(built.net.iter().map(|surface| net_json(&step.id, surface, true)));
        if let Some(curves) = built.shape.curves() {
            let frame = if let Shape::Drawing(drawing) = &built.shape {
                Some(frame_json(&drawing.frame))
            } else {
                None
            };
            let one_chain = built.shape.is_one_chain();
            let curves: Vec<Value> = curves.iter().map(|c| curve_json(c, built, chord)).collect();
            let faded = step.display == Display::Backdrop;
            if !hidden && !faded {
                for c in built.shape.curves().into_iter().flatten().filter(|c| !c.is_closed(CLOSED)) {
                    let ends = curve_ends(&c.id).into_iter().zip([c.start(), c.end()]);
                    places.extend(ends.map(|(item, p)| place(&step.id, &item, &p)));
                }
            }
            drawings.push(
                json!({"step": step.id, "hidden": hidden, "faded": faded, "frame": frame, "one_chain": one_chain, "curves": curves}),
            );
            continue;
        }
        match &built.shape {
            Shape::Planes(planes) if !hidden => {
                let frames: Vec<Value> = planes.iter().map(frame_json).collect();
                helpers.push(json!({"step": step.id, "planes": frames}));
            }
            Shape::Axis(axis) if !hidden => {
                helpers
                    .push(json!({"step": step.id, "axis": [xyz(&axis.origin), axis.direction.as_slice()]}));
            }
            Shape::Point(point) if !hidden => helpers.push(json!({"step": step.id, "point": xyz(point)})),
            _ => {}
        }
        let shown = match step.display {
            Display::Auto => rebuilt.is_result(i) || step.make.only_measures(),
            Display::Show | Display::Backdrop => true,
            Display::Hide => false,
        };
        let bodies = if shown { built.shape.bodies() } else { &[] };
        let aside = step.display == Display::Backdrop || step.make.only_measures();
        if aside && !bodies.is_empty() {
            backdrop.push(step.id.clone());
        }
        for piece in built.pieces.iter().filter(|_| how.looks.pieces && !hidden) {
            // Numbered by their places in the list that tells what they are.
            let id = format!("piece {}", pieces.len());
            match SceneBody::new(&id, &piece.key, &piece.body, tolerance) {
                Ok(meshes) => {
                    scene.push(meshes);
                    pieces.push(json!({"step": step.id, "key": piece.key, "kept": piece.kept}));
                }
                Err(error) => tracing::warn!(step = step.id, %error, "piece not shown"),
            }
        }
        for (body, names) in bodies.iter().zip(body_names(bodies)) {
            match SceneBody::new(&step.id, &step.name, body, tolerance) {
                Ok(meshes) => {
                    for ((shell, mesh), names) in body.shells().into_iter().zip(meshes.meshes()).zip(&names) {
                        edges.extend(edge_lines(&step.id, shell, mesh, names));
                        let corners = shell.vertices().iter().zip(&names.vertices);
                        places.extend(
                            corners.filter_map(|(v, item)| Some(place(&step.id, item.as_ref()?, &v.point))),
                        );
                    }
                    let faces = || body.shells().into_iter().flat_map(Shell::faces);
                    if how.looks.nets && built.net.is_none() {
                        nets.extend(faces().map(|f| net_json(&step.id, &f.surface, false)));
                    }
                    if how.looks.combs && step.display != Display::Backdrop {
                        combs.extend(faces().flat_map(combs_json));
                    }
                    let meshes = if how.looks.curvature { meshes.with_curvatures(body) } else { meshes };
                    let meshes = if how.looks.thickness {
                        meshes.with_thicknesses(body, THICKNESS_SHARE)
                    } else {
                        meshes
                    };
                    scene.push(meshes.with_face_names(names.iter().map(|n| &n.faces)));
                }
                Err(error) => tracing::warn!(step = step.id, %error, "not shown"),
            }
        }
    }
    let extras = json!({
        "report": if how.is_preview { quick_report(recipe, rebuilt) } else { report(recipe, rebuilt) },
        "drawings": drawings,
        "helpers": helpers,
        "sheet": how.sheet.as_ref().and_then(|open| sheet(recipe, rebuilt, open, chord)),
        "edges": edges,
        "places": places,
        "marks": marks,
        "pairings": pairings,
        "nets": nets,
        "combs": combs,
        "pieces": pieces,
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

fn frame_json(frame: &Frame) -> Value {
    json!({"origin": xyz(&frame.origin), "x": frame.x.as_slice(), "y": frame.y.as_slice()})
}

fn curve_json(curve: &CurveShape, built: &Built, chord: f64) -> Value {
    let control: Vec<[f64; 2]> = if let Shape::Drawing(drawing) = &built.shape {
        let points = curve.pieces.iter().filter(|p| p.degree() > 1).flat_map(|p| p.control_points());
        points.map(|p| drawing.frame.flattened(&p).into()).collect()
    } else {
        Vec::new()
    };
    json!({
        "id": curve.id,
        "guide": curve.guide,
        "closed": curve.is_closed(CLOSED),
        "places": curve.places.iter().map(|p| json!({"at": short(&p.at), "own": p.own})).collect::<Vec<_>>(),
        "points": curve.points.iter().map(|p| [p.x, p.y]).collect::<Vec<_>>(),
        "control": control,
        "line": polyline(&curve.pieces, chord),
    })
}

/// Where an input of a step begins and how it runs.
fn mark_json(step: &str, mark: &Mark, chord: f64) -> Value {
    let (slot, index) = mark.slot;
    let along = mark.along.map(|v| [v.x, v.y, v.z]);
    json!({"step": step, "slot": slot, "index": index, "at": short(&mark.at), "along": along,
        "line": polyline(&mark.line, chord)})
}

/// Lines that join places of a step's sections, and the sections' pieces along which their ends are moved.
fn pairing_json(step: &str, pairing: &Pairing, chord: f64) -> Value {
    let points = |line: &[Point3]| line.iter().map(short).collect::<Vec<_>>();
    let pieces = |section: &Vec<NurbsCurve>| -> Vec<Vec<[f64; 3]>> {
        section.iter().map(|piece| polyline(std::slice::from_ref(piece), chord)).collect()
    };
    let end = |e: &PairingEnd| json!({"section": e.section, "at": short(&e.at), "piece": e.piece, "share": e.share});
    let line = |l: &PairingLine| json!({"given": l.given, "along": points(&l.along), "ends": l.ends.iter().map(end).collect::<Vec<_>>()});
    json!({"step": step, "sections": pairing.sections.iter().map(pieces).collect::<Vec<_>>(),
        "lines": pairing.lines.iter().map(line).collect::<Vec<_>>()})
}

/// A surface's control net; `own` for the one whose points a card moves.
fn net_json(step: &str, surface: &NurbsSurface, own: bool) -> Value {
    let points: Vec<[f64; 3]> = surface.control_points().iter().map(short).collect();
    json!({"step": step, "own": own, "rows": surface.knots_u().point_count(),
        "columns": surface.knots_v().point_count(), "points": points})
}

/// Combs of a face: each tooth by its foot and its direction, as long as the curvature in 1/mm.
fn combs_json(face: &Face) -> Vec<Value> {
    let tooth = |t: &Tooth| json!([short(&t.at), t.out.as_slice()]);
    let comb = |teeth: &Vec<Tooth>| Value::from(teeth.iter().map(tooth).collect::<Vec<_>>());
    surface_combs(face, COMB_LINES, COMB_TEETH).iter().map(comb).collect()
}

fn polyline(pieces: &[NurbsCurve], chord: f64) -> Vec<[f64; 3]> {
    let mut line: Vec<[f64; 3]> = Vec::new();
    for piece in pieces {
        line.extend(flatten(piece, chord * 0.1).iter().map(|(_, p)| short(p)));
        line.dedup();
    }
    line
}

/// A vertex of a body or an end of a curve, which can be picked.
fn place(step: &str, item: &str, at: &Point3) -> Value {
    json!({"step": step, "item": item, "at": short(at)})
}

fn edge_lines(step: &str, shell: &Shell, mesh: &Mesh, names: &ShellNames) -> Vec<Value> {
    let free: HashSet<usize> = free_edges(shell).into_iter().map(topology::EdgeId::index).collect();
    mesh.edges
        .iter()
        .enumerate()
        .filter(|(_, line)| line.len() > 1)
        .map(|(i, line)| {
            let points: Vec<_> = line.iter().map(|&p| short(&mesh.positions[p as usize])).collect();
            json!({"step": step, "item": names.edges[i], "free": free.contains(&i), "line": points})
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
            Some(Shape::Drawing(DrawingShape { curves, .. }) | Shape::Curves(curves)) => {
                curves.iter().flat_map(|c| &c.pieces).flat_map(|p| p.control_points()).for_each(|p| hold(&p));
            }
            Some(Shape::Point(p)) => hold(p),
            Some(shape) => {
                let vertices = shape.bodies().iter().flat_map(Body::shells).flat_map(|s| s.vertices());
                vertices.for_each(|v| hold(&v.point));
            }
            None => {}
        }
    }
    let size = bounds.map_or(100.0, |(low, high)| (high - low).norm());
    (size * CHORD_SHARE).clamp(CHORD_LIMITS[0], CHORD_LIMITS[1])
}
