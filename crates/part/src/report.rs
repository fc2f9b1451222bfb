use std::collections::{BTreeMap, BTreeSet};

use geometry::{Point3, Tolerance, closest_on_curve, shared_work};
use schemars::JsonSchema;
use serde::Serialize;
use topology::{Body, Continuity, EdgeId, Meeting, Shell, closure, free_edges, join, seams};

use crate::steps::Make;
use crate::steps::fill_to_level::CUBIC_INCH;
use crate::steps::joined_surface::JoinedSurface;
use crate::{Built, Chart, Notice, Outcome, Reached, Rebuilt, Recipe, Reference, ShellNames, body_names};
use crate::{Cure, Edit, Step};

/// Free edges that lie within this many millimetres of each other all along are shown as a seam that is not joined yet.
const NEAR: f64 = 0.1;
/// Free edges above which seams that are not joined are not looked for.
const MOST_FREE_EDGES: usize = 300;
/// What is said where the search for crossings took too long.
const UNKNOWN_CROSSINGS: &str = "whether it passes through itself";

/// What stands between the part and a solid that can be made.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Report {
    /// The part's name.
    pub part: String,
    /// Whether every step built and the result is one or more watertight solids.
    pub ready: bool,
    /// One line of where it stands.
    pub headline: String,
    /// Shapes that nothing else was made from.
    pub bodies: Vec<BodyReport>,
    /// Where free edges lie along each other without being joined.
    pub open_seams: Vec<SeamReport>,
    /// Every step.
    pub steps: Vec<StepReport>,
    /// The closure ledger: what it shows, item by item.
    pub ledger: Vec<LedgerItem>,
    /// Named values with what each drives.
    pub parameters: Vec<ParameterReport>,
}

/// Figures of one body. Lengths in mm, areas in mm², volumes in mm³.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct BodyReport {
    /// The step that made it.
    pub step: String,
    /// That step's name.
    pub name: String,
    /// What it is.
    #[schemars(extend("enum" = ["open shell", "closed shell", "solid"]))]
    pub kind: &'static str,
    /// Whether it is what its step is there to make: sound, and a solid where it should be one.
    pub as_meant: bool,
    /// No free edge, no edge with more than two faces, facing agrees.
    pub watertight: bool,
    /// Edges with a face on one side only.
    pub free_edges: Vec<FreeEdgeReport>,
    /// Edges with more than two faces.
    pub overused_edges: usize,
    /// Edges whose faces disagree which side is outside.
    pub facing_faults: usize,
    /// Places at which it passes through itself; `null` where that was not looked for.
    pub self_crossings: Option<Vec<[f64; 3]>>,
    /// What could not be found out in the time that there is; until it is known, the body counts as unfinished.
    pub unknown: Option<&'static str>,
    /// Largest distance of an edge from the surfaces that it bounds.
    pub largest_gap_mm: f64,
    /// Where that is.
    pub largest_gap_at: Option<[f64; 3]>,
    /// Volume; `null` for an open shell.
    pub volume_mm3: Option<f64>,
    /// The same in millilitres.
    pub volume_ml: Option<f64>,
    /// The same in cubic inches.
    pub volume_in3: Option<f64>,
    /// Area of all faces.
    pub area_mm2: f64,
    /// Centre of the volume.
    pub centroid: Option<[f64; 3]>,
    /// Lowest and highest coordinates, right to 0.05 mm.
    pub bounding_box: Option<[[f64; 3]; 2]>,
    /// Number of faces.
    pub faces: usize,
    /// Number of edges, poles left out.
    pub edges: usize,
    /// Number of vertices.
    pub vertices: usize,
    /// Voids inside a solid.
    pub voids: usize,
    /// How neighbouring faces meet.
    pub seams: Vec<SeamReport>,
}

/// How two faces meet along an edge; each figure is the largest along it.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct SeamReport {
    /// The edge, by lineage; for one that is not joined yet both edges.
    pub edge: String,
    /// The same as references: each with its step and its name there.
    pub items: Vec<Reference>,
    /// `G0` at an angle, `G1` tangent within 0.1 deg, `G2` within 2 % of each other's curvature too.
    #[schemars(extend("enum" = ["G0", "G1", "G2"]))]
    pub meets: &'static str,
    /// Distance between the two surfaces.
    pub gap_mm: f64,
    /// Angle between their normals; 0 where they are tangent.
    pub angle_deg: f64,
    /// Where that is.
    pub angle_at: [f64; 3],
    /// Difference of their curvatures across the edge, in 1/mm.
    pub curvature_difference: f64,
    /// The same as a share of the larger one.
    pub curvature_share: f64,
}

/// A free edge.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct FreeEdgeReport {
    /// Its middle.
    pub at: [f64; 3],
    /// Its length in mm.
    pub length_mm: f64,
}

/// How a step came out.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct StepReport {
    /// Its id.
    pub step: String,
    /// Its name.
    pub name: String,
    /// What became of it.
    #[schemars(extend("enum" = ["built", "failed", "waits", "skipped", "held", "cancelled"]))]
    pub state: &'static str,
    /// The step that it waits for.
    pub waits_for: Option<String>,
    /// Lane of the lineage: 0 curves, 1 surfaces, 2 shells, 3 solids.
    pub lane: Option<usize>,
    /// Steps that it is made from.
    pub parents: Vec<String>,
    /// Milliseconds of the last real build.
    pub milliseconds: f64,
    /// Whether it was built this time.
    pub rebuilt: bool,
    /// Changes when its shape may have changed.
    pub key: String,
    /// What went wrong.
    pub error: Option<Notice>,
    /// What should be known.
    pub warnings: Vec<Notice>,
    /// Figures that it reached.
    pub reached: Vec<Reached>,
    /// A plot that its card shows.
    pub chart: Option<Chart>,
}

/// A named value and what it drives.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct ParameterReport {
    /// Its name.
    pub name: String,
    /// Its value in millimetres, radians or plain.
    pub value: f64,
    /// Names of the steps and parameters whose values use it.
    pub drives: Vec<String>,
}

/// One item of the closure ledger.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct LedgerItem {
    /// What it is about.
    pub id: &'static str,
    /// The figure or word.
    pub value: String,
    /// What it means.
    pub label: String,
    /// Whether it stands in the way.
    #[schemars(extend("enum" = ["good", "left", "plain"]))]
    pub state: &'static str,
    /// Where to look.
    pub at: Option<[f64; 3]>,
    /// The step to look at.
    pub step: Option<String>,
    /// What one click would do about it.
    pub cure: Option<Cure>,
}

/// Reports on a rebuilt part.
#[must_use]
pub fn report(recipe: &Recipe, rebuilt: &Rebuilt) -> Report {
    reported(recipe, rebuilt, |built| Crossings::of(built.self_crossings()))
}

/// The same while something is being moved: whether bodies pass through themselves is told if it is known.
#[must_use]
pub fn quick_report(recipe: &Recipe, rebuilt: &Rebuilt) -> Report {
    reported(recipe, rebuilt, |built| match built.crossings.get() {
        Some(known) => Crossings::of(known.as_deref()),
        None => Crossings::NotAsked,
    })
}

/// Where each body of a step passes through itself.
enum Crossings<'a> {
    Known(&'a [Vec<Point3>]),
    /// The search took too long.
    Unknown,
    NotAsked,
}

impl<'a> Crossings<'a> {
    fn of(found: Option<&'a [Vec<Point3>]>) -> Self {
        found.map_or(Self::Unknown, Self::Known)
    }
}

fn reported(recipe: &Recipe, rebuilt: &Rebuilt, crossings: fn(&Built) -> Crossings<'_>) -> Report {
    let mut steps = Vec::with_capacity(rebuilt.steps.len());
    let mut bodies = Vec::new();
    let mut all_names: BTreeMap<usize, Vec<Vec<ShellNames>>> = BTreeMap::new();
    for (i, (step, result)) in recipe.steps.iter().zip(&rebuilt.steps).enumerate() {
        let built = result.built();
        let (state, waits_for, error) = match &result.outcome {
            Outcome::Built(_) => ("built", None, None),
            Outcome::Failed(notice) => ("failed", None, Some(notice.clone())),
            Outcome::Waits(on) => ("waits", Some(on.clone()), None),
            Outcome::Skipped => ("skipped", None, None),
            Outcome::Held => ("held", None, None),
            Outcome::Cancelled => ("cancelled", None, None),
        };
        let parents = rebuilt.lineage.parents(i).iter().map(|&p| recipe.steps[p].id.clone()).collect();
        steps.push(StepReport {
            step: step.id.clone(),
            name: step.name.clone(),
            state,
            waits_for,
            lane: built.map(|b| b.shape.lane()),
            parents,
            milliseconds: result.milliseconds,
            rebuilt: result.rebuilt,
            key: result.key.chars().take(16).collect(),
            error,
            warnings: built.map(|b| b.warnings.clone()).unwrap_or_default(),
            reached: built.map(|b| b.reached.clone()).unwrap_or_default(),
            chart: built.and_then(|b| b.chart.clone()),
        });
        if let Some(built) = built.filter(|_| rebuilt.is_result(i)) {
            let several = built.shape.bodies().len() > 1;
            let names = all_names.entry(i).or_insert_with(|| body_names(built.shape.bodies()));
            for (k, (body, names)) in built.shape.bodies().iter().zip(&*names).enumerate() {
                let name = if several { format!("{} {}", step.name, k + 1) } else { step.name.clone() };
                let seams = seam_reports(recipe, &step.id, body, names);
                let places = |p: &Vec<Point3>| p.iter().map(|p| (*p).into()).collect();
                let (self_crossings, unknown) = match crossings(built) {
                    Crossings::Known(found) => (found.get(k).map(places), None),
                    Crossings::Unknown => (None, Some(UNKNOWN_CROSSINGS)),
                    Crossings::NotAsked => (None, None),
                };
                let body = body_report(&step.id, &name, body);
                let mut report = BodyReport { seams, self_crossings, unknown, ..body };
                report.as_meant = is_as_meant(step, &report, rebuilt, i);
                bodies.push(report);
            }
        }
    }
    let shells: Vec<(&str, &Shell, &ShellNames)> = all_names
        .iter()
        .filter_map(|(i, names)| {
            Some((recipe.steps[*i].id.as_str(), rebuilt.built(*i)?.shape.bodies(), names))
        })
        .flat_map(|(step, bodies, names)| {
            let shells = bodies.iter().flat_map(Body::shells).zip(names.iter().flatten());
            shells.map(move |(shell, names)| (step, shell, names))
        })
        .collect();
    let open_seams = open_seams(recipe, &shells);
    let failed: Vec<&StepReport> = steps.iter().filter(|s| s.state == "failed").collect();
    let warned = steps.iter().any(|s| s.warnings.iter().any(|w| w.at.is_some()));
    let ready = failed.is_empty()
        && !bodies.is_empty()
        && bodies.iter().all(|b| things_left(b) == 0 && b.kind == "solid");
    let left = failed.len() + bodies.iter().map(things_left).sum::<usize>();
    let headline = if bodies.is_empty() && failed.is_empty() {
        "Nothing to close yet".to_string()
    } else if ready && warned {
        "Solid, with a warning".to_string()
    } else if ready {
        "A watertight solid".to_string()
    } else {
        format!("Not yet a solid: {left} {} left", if left == 1 { "thing" } else { "things" })
    };
    let mut ledger = ledger(&bodies, &steps);
    if let Some(item) = ledger.iter_mut().find(|i| i.id == "free_edges" && i.state == "left") {
        item.cure = closing(recipe, &shells, &open_seams);
    }
    if let (Some(item), Some(body)) =
        (ledger.iter_mut().find(|i| i.id == "watertight"), bodies.iter().find(|b| b.kind == "closed shell"))
    {
        item.cure = Some(joined(recipe, &[body.step.as_str()], Tolerance::default().join));
    }
    Report {
        part: recipe.name.clone(),
        ready,
        headline,
        bodies,
        open_seams,
        steps,
        ledger,
        parameters: parameters(recipe),
    }
}

fn parameters(recipe: &Recipe) -> Vec<ParameterReport> {
    let scope = recipe.scope().unwrap_or_default();
    let mut drives: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let mut note = |user: &str, texts: &[String]| {
        let used: BTreeSet<String> = texts.iter().flat_map(|text| crate::names_in(text)).collect();
        used.into_iter().for_each(|name| drives.entry(name).or_default().push(user.to_string()));
    };
    for p in &recipe.parameters {
        if let crate::Amount::Formula(text) = &p.formula {
            note(&p.name, std::slice::from_ref(text));
        }
    }
    recipe.steps.iter().for_each(|s| note(&s.name, &s.make.formulas()));
    let of = |p: &crate::Parameter| ParameterReport {
        name: p.name.clone(),
        value: scope.get(&p.name).map_or(f64::NAN, |v| v.number),
        drives: drives.remove(&p.name).unwrap_or_default(),
    };
    recipe.parameters.iter().map(of).collect()
}

/// Slots whose closed curves close into a solid by themselves, where the step is not told to leave its ends open.
const CLOSING_SLOTS: [&str; 6] = ["profile", "section", "sections", "first", "second", "curves"];

/// Whether a body is what its step is there to make: sound, and a solid where the step makes nothing else, is made from
/// solids, or closes closed curves.
fn is_as_meant(step: &Step, body: &BodyReport, rebuilt: &Rebuilt, at: usize) -> bool {
    let crossed = !body.crossings().is_empty() || body.unknown.is_some();
    let sound = body.overused_edges == 0 && body.facing_faults == 0 && !crossed;
    if body.kind == "solid" || !sound {
        return sound && body.watertight;
    }
    let description = step.make.describe();
    let only_solids = description.makes == ["solid"];
    // Taking faces away is how a solid is opened on purpose.
    let of_solids = description.makes.contains(&"solid") && !matches!(step.make, Make::RemoveFaces(_)) && {
        let mut parents = rebuilt.lineage.parents(at).iter().filter(|&&p| rebuilt.lineage.takes_whole(at, p));
        let solid = |p: &usize| {
            rebuilt
                .built(*p)
                .is_some_and(|b| !b.shape.bodies().is_empty() && b.shape.bodies().iter().all(Body::is_solid))
        };
        parents.any(solid)
    };
    let closes = description.values.iter().any(|v| v.name == "ends") && {
        let make = serde_json::to_value(&step.make).unwrap_or_default();
        let open =
            make.as_object().and_then(|kinds| kinds.values().next()).is_some_and(|f| f["ends"] == "open");
        let inputs = step.make.inputs();
        let curves = inputs.iter().filter(|(slot, _)| CLOSING_SLOTS.contains(slot)).flat_map(|(_, r)| {
            let built = rebuilt.steps.iter().find(|s| s.step == r.step).and_then(|s| s.built());
            let curves = built.and_then(|b| b.shape.curves()).unwrap_or_default();
            curves
                .iter()
                .filter(|c| r.item.as_ref().map_or(!c.guide, |item| *item == c.id))
                .collect::<Vec<_>>()
        });
        let closed: Vec<bool> = curves.map(|c| c.is_closed(Tolerance::default().join)).collect();
        !open && !closed.is_empty() && closed.into_iter().all(|c| c)
    };
    !(body.kind == "closed shell" || only_solids || of_solids || closes)
}

impl Rebuilt {
    /// Whether a step's body is part of what the recipe comes to: built, and no other body was made from all of it.
    /// Curves and planes taken from it, and bodies that only share an edge with it, leave it what it is. What stands in
    /// the backdrop is there to build upon only.
    #[must_use]
    pub fn is_result(&self, step: usize) -> bool {
        let is_body = |i: usize| self.built(i).is_some_and(|b| !b.shape.bodies().is_empty());
        let later = step + 1..self.steps.len();
        is_body(step)
            && !self.lineage.is_aside(step)
            && !later.into_iter().any(|i| self.lineage.takes_whole(i, step) && is_body(i))
    }

    /// Places in the recipe of all results.
    pub fn results(&self) -> impl Iterator<Item = usize> {
        (0..self.steps.len()).filter(|&i| self.is_result(i))
    }

    /// What a step made, if it is built.
    #[must_use]
    pub fn built(&self, step: usize) -> Option<&Built> {
        self.steps[step].built().map(AsRef::as_ref)
    }
}

impl BodyReport {
    fn crossings(&self) -> &[[f64; 3]] {
        self.self_crossings.as_deref().unwrap_or_default()
    }
}

fn things_left(body: &BodyReport) -> usize {
    let faults = body.free_edges.len() + body.overused_edges + body.facing_faults + body.crossings().len();
    // What closes but was left a shell is a join away from being a solid.
    faults + usize::from(body.kind == "closed shell") + usize::from(body.unknown.is_some())
}

fn body_report(step: &str, name: &str, body: &Body) -> BodyReport {
    let measure = shared_work(|()| body.measure());
    let bound = shared_work(|()| body.shells().into_iter().filter_map(topology::bounds).collect::<Vec<_>>());
    let (measures, boxes) = rayon::join(|| measure(()), || bound(()));
    let solid = body.is_solid();
    let mut out = BodyReport {
        step: step.into(),
        name: name.into(),
        kind: if solid { "solid" } else { "open shell" },
        as_meant: true,
        watertight: true,
        free_edges: Vec::new(),
        overused_edges: 0,
        facing_faults: 0,
        self_crossings: None,
        unknown: None,
        largest_gap_mm: 0.0,
        largest_gap_at: None,
        volume_mm3: solid.then_some(measures.volume),
        volume_ml: solid.then_some(measures.volume / 1000.0),
        volume_in3: solid.then_some(measures.volume / CUBIC_INCH),
        area_mm2: measures.area,
        centroid: if solid { measures.centroid().map(Into::into) } else { None },
        bounding_box: None,
        faces: 0,
        edges: 0,
        vertices: 0,
        voids: body.shells().len() - 1,
        seams: Vec::new(),
    };
    for shell in body.shells() {
        let c = closure(shell);
        out.watertight &= c.is_watertight();
        out.overused_edges += c.overused_edges;
        out.facing_faults += c.facing_faults;
        out.free_edges
            .extend(c.free_edges.iter().map(|e| FreeEdgeReport { at: e.middle.into(), length_mm: e.length }));
        if c.largest_gap > out.largest_gap_mm {
            (out.largest_gap_mm, out.largest_gap_at) = (c.largest_gap, c.largest_gap_at.map(Into::into));
        }
        out.faces += c.euler_poincare.faces;
        out.edges += c.euler_poincare.edges;
        out.vertices += c.euler_poincare.vertices;
    }
    if out.watertight && !solid {
        out.kind = "closed shell";
    }
    let bounds = boxes.into_iter().reduce(|a, b| (a.0.inf(&b.0), a.1.sup(&b.1)));
    out.bounding_box = bounds.map(|(low, high)| [low.into(), high.into()]);
    out
}

fn seam_report(recipe: &Recipe, items: Vec<Reference>, met: &Meeting) -> SeamReport {
    let names: Vec<String> =
        items.iter().map(|r| recipe.spoken(r.item.as_deref().unwrap_or("edge"))).collect();
    SeamReport {
        edge: names.join(" along "),
        items,
        meets: match met.meets {
            Continuity::G0 => "G0",
            Continuity::G1 => "G1",
            Continuity::G2 => "G2",
        },
        gap_mm: met.gap.0,
        angle_deg: met.angle.0.to_degrees(),
        angle_at: met.angle.1.into(),
        curvature_difference: met.curvature.0,
        curvature_share: met.curvature_share,
    }
}

fn seam_reports(recipe: &Recipe, step: &str, body: &Body, names: &[ShellNames]) -> Vec<SeamReport> {
    let mut out = Vec::new();
    for (shell, names) in body.shells().into_iter().zip(names) {
        for seam in seams(shell) {
            let item = names.edges[seam.edge.index()].clone();
            out.push(seam_report(recipe, vec![Reference { step: step.into(), item }], &seam.meeting));
        }
    }
    out
}

fn whole(step: &str) -> Reference {
    Reference { step: step.into(), item: None }
}

fn added(name: &str, make: Make, label: String) -> Cure {
    Cure { label, edits: vec![Edit::AddStep { step: Box::new(Step::new(name, make)) }] }
}

/// One click that joins what some steps made.
fn joined(recipe: &Recipe, steps: &[&str], tolerance: f64) -> Cure {
    let make = Make::JoinedSurface(JoinedSurface {
        surfaces: steps.iter().map(|s| whole(s)).collect(),
        tolerance: format!("{tolerance} mm").as_str().into(),
    });
    match steps {
        [only] => {
            let name = recipe.step_name(only);
            added(&format!("{name} joined"), make, format!("Join {name} into a solid"))
        }
        _ => added("Joined", make, format!("Join at {tolerance} mm")),
    }
}

/// One click that closes what is open: joining shells whose free edges lie along each other, else capping flat openings.
fn closing(recipe: &Recipe, shells: &[(&str, &Shell, &ShellNames)], seams: &[SeamReport]) -> Option<Cure> {
    let mut apart: Vec<&str> = seams.iter().flat_map(|s| &s.items).map(|r| r.step.as_str()).collect();
    apart.sort_unstable();
    apart.dedup();
    if apart.len() > 1 {
        let gap = seams.iter().map(|s| s.gap_mm).fold(0.0, f64::max);
        // Rounded up, so that the figure on the button is the one that is used.
        let tolerance = Tolerance::default().join.max((gap * 1.05e3).ceil() / 1e3);
        return Some(joined(recipe, &apart, tolerance));
    }
    let open = shells.iter().find(|(_, shell, _)| !free_edges(shell).is_empty())?;
    if free_edges(open.1).len() > MOST_FREE_EDGES {
        return None;
    }
    let closed = topology::capped(open.1.clone(), &Tolerance::default(), |k| format!("cap {k}")).ok()?;
    let caps = closed.faces().len() - open.1.faces().len();
    let name = recipe.step_name(open.0);
    let word = if caps == 1 { "opening".to_string() } else { format!("{caps} openings") };
    let make = Make::Cap(crate::steps::cap::Cap { surface: whole(open.0) });
    (caps > 0).then(|| added(&format!("{name} capped"), make, format!("Cap the {word} of {name}")))
}

/// Seams between free edges, of one shell or of several, that lie along each other: found by joining them for a look.
fn open_seams(recipe: &Recipe, shells: &[(&str, &Shell, &ShellNames)]) -> Vec<SeamReport> {
    let free: Vec<Vec<EdgeId>> = shells.iter().map(|(_, shell, _)| free_edges(shell)).collect();
    let open: Vec<usize> = (0..shells.len()).filter(|&i| !free[i].is_empty()).collect();
    if free.iter().map(Vec::len).sum::<usize>() > MOST_FREE_EDGES {
        return Vec::new();
    }
    let parts: Vec<Shell> = open.iter().map(|&i| shells[i].1.clone()).collect();
    let Ok(joined) = join(&parts, NEAR) else { return Vec::new() };
    // Faces stand in the joined shell in the order of the parts.
    let owners: Vec<(usize, usize)> =
        open.iter().flat_map(|&i| (0..shells[i].1.faces().len()).map(move |f| (i, f))).collect();
    let mut out = Vec::new();
    for seam in seams(&joined.shell) {
        let Some(curve) = &joined.shell.edge(seam.edge).curve else { continue };
        let middle = curve.point(curve.domain().at(0.5));
        let items: Vec<Reference> = seam
            .faces
            .iter()
            .filter_map(|face| {
                let (i, f) = owners[face.index()];
                let (step, shell, names) = shells[i];
                let uses = shell.faces()[f].loops.iter().flat_map(|l| &l.edges);
                let own = uses.filter(|e| free[i].contains(&e.edge)).find(|e| {
                    let along = shell.edge(e.edge).curve.as_ref();
                    along.is_some_and(|c| closest_on_curve(c, &middle).distance <= NEAR)
                })?;
                Some(Reference { step: step.into(), item: names.edges[own.edge.index()].clone() })
            })
            .collect();
        // Both must have been free: what was joined before is reported with its body.
        if items.len() == 2 {
            out.push(seam_report(recipe, items, &seam.meeting));
        }
    }
    out
}

fn ledger(bodies: &[BodyReport], steps: &[StepReport]) -> Vec<LedgerItem> {
    let mut items = Vec::new();
    let item = |id, value: String, label: String, state| LedgerItem {
        id,
        value,
        label,
        state,
        at: None,
        step: None,
        cure: None,
    };
    for step in steps.iter().filter(|s| s.state == "failed") {
        items.push(LedgerItem {
            at: step.error.as_ref().and_then(|e| e.at),
            step: Some(step.step.clone()),
            ..item("failed", step.name.clone(), "cannot be built".into(), "left")
        });
    }
    for step in steps {
        for warning in step.warnings.iter().filter(|w| w.at.is_some()) {
            items.push(LedgerItem {
                at: warning.at,
                step: Some(step.step.clone()),
                ..item("warning", step.name.clone(), "has a warning".into(), "left")
            });
        }
    }
    let Some(first) = bodies.first() else { return items };
    let worst = bodies.iter().find(|b| !b.free_edges.is_empty()).unwrap_or(first);
    let free: usize = bodies.iter().map(|b| b.free_edges.len()).sum();
    items.push(LedgerItem {
        at: worst.free_edges.first().map(|e| e.at),
        step: Some(worst.step.clone()),
        ..item(
            "free_edges",
            format!("{free} free {}", if free == 1 { "edge" } else { "edges" }),
            if free == 0 { "every edge joined".into() } else { format!("open: {}", worst.name) },
            if free == 0 { "good" } else { "left" },
        )
    });
    let gap = bodies.iter().max_by(|a, b| a.largest_gap_mm.total_cmp(&b.largest_gap_mm)).unwrap_or(first);
    items.push(LedgerItem {
        at: gap.largest_gap_at,
        step: Some(gap.step.clone()),
        ..item("largest_gap", gap_text(gap.largest_gap_mm), "largest gap".into(), "good")
    });
    let faults: usize = bodies.iter().map(|b| b.facing_faults).sum();
    items.push(LedgerItem {
        step: Some(first.step.clone()),
        ..item(
            "facing",
            if faults == 0 { "agrees".into() } else { format!("{faults} disagree") },
            "facing".into(),
            if faults == 0 { "good" } else { "left" },
        )
    });
    let crossing = bodies.iter().find(|b| !b.crossings().is_empty());
    let unknown = bodies.iter().find(|b| b.unknown.is_some());
    let known = bodies.iter().all(|b| b.self_crossings.is_some());
    let (value, state) = match (crossing, unknown, known) {
        (Some(_), ..) => ("yes", "left"),
        (None, Some(_), _) => ("not known", "left"),
        (None, None, true) => ("no", "good"),
        (None, None, false) => ("…", "plain"),
    };
    items.push(LedgerItem {
        at: crossing.and_then(|b| b.crossings().first().copied()),
        step: Some(crossing.or(unknown).unwrap_or(first).step.clone()),
        ..item("self_crossing", value.into(), "crosses itself".into(), state)
    });
    let watertight = bodies.iter().all(|b| b.kind == "solid");
    let solids = bodies.iter().filter(|b| b.kind == "solid").count();
    let voids: usize = bodies.iter().filter(|b| b.kind == "solid").map(|b| b.voids).sum();
    let counted = |count: usize, word: &str| match count {
        0 => String::new(),
        1 => format!(" · 1 {word}"),
        _ => format!(" · {count} {word}s"),
    };
    items.push(LedgerItem {
        at: worst.free_edges.first().map(|e| e.at),
        step: Some(worst.step.clone()),
        ..item(
            "watertight",
            if watertight { "yes".into() } else { "no".into() },
            format!("watertight{}{}", counted(solids, "solid"), counted(voids, "void")),
            if watertight { "good" } else { "left" },
        )
    });
    let volume: f64 = bodies.iter().filter_map(|b| b.volume_mm3).sum();
    if bodies.iter().any(|b| b.volume_mm3.is_some()) {
        items.push(LedgerItem {
            at: first.centroid,
            step: Some(first.step.clone()),
            ..item(
                "volume",
                format!("{} mm³", grouped(volume, 1)),
                format!("volume · {} mL · {} in³", grouped(volume / 1e3, 3), grouped(volume / CUBIC_INCH, 4)),
                "plain",
            )
        });
    }
    let area: f64 = bodies.iter().map(|b| b.area_mm2).sum();
    items.push(LedgerItem {
        step: Some(first.step.clone()),
        ..item("area", format!("{} mm²", grouped(area, 1)), "area of all faces".into(), "plain")
    });
    items
}

fn gap_text(gap: f64) -> String {
    if gap < 1e-6 { "below 0.000001 mm".into() } else { format!("{gap:.6} mm") }
}

/// A figure with thin spaces between thousands.
fn grouped(value: f64, digits: usize) -> String {
    let text = format!("{value:.digits$}");
    let (whole, rest) = text.split_at(text.find('.').unwrap_or(text.len()));
    let mut out = String::new();
    for (i, c) in whole.char_indices() {
        if i > 0 && (whole.len() - i).is_multiple_of(3) && !whole[..i].ends_with('-') {
            out.push('\u{2009}');
        }
        out.push(c);
    }
    out + rest
}
