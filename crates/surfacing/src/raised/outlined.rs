//! Shells parted along closed outlines: what lies inside them, on one face or on several that look the same way.

use std::collections::BTreeSet;
use std::sync::Arc;

use geometry::{
    Domain, Frame, NurbsCurve, NurbsSurface, Point3, Tolerance, Vector3, along_direction, closest_on_curve,
    closest_on_surface, nearby_on_surface, polygon_area, polygon_holds,
};
use topology::{EdgeId, FaceId, Shell, imprint, inner_place, join, natural_shell, pcurve_on};

use super::on_surface;
use crate::SurfacingError;
use crate::chain::chain;
use crate::halves::Halves;
use crate::loops::Outlines;
use crate::side::Side;
use crate::strip::{followed, images_follow};

/// How many times the resolution a place brought onto a face may be off it.
const ON_FACE: f64 = 10.0;
/// Cosine of the steepest angle between a face and the outline's plane at which the outline runs on over it.
pub(super) const STEEPEST: f64 = 0.05;
/// Places in either direction among which one inside an outline is looked for.
const GRID: usize = 24;
/// Places of each span of an outline that stand for it.
const DRAWN: usize = 6;

/// Closed outlines that are brought onto a shell along a direction; those inside others bound openings.
pub(super) struct Drawn<'a> {
    shell: &'a Shell,
    face: usize,
    toward: Vector3,
    tolerance: &'a Tolerance,
    frame: Frame,
    /// The pieces of each, against the clock when seen from the face's outer side.
    pub(super) outlines: Vec<Vec<NurbsCurve>>,
    polygons: Vec<Vec<[f64; 2]>>,
}

/// A shell parted along outlines, with the faces inside them and the edges along them.
pub(super) struct Outlined {
    pub(super) shell: Shell,
    pub(super) inside: BTreeSet<usize>,
    pub(super) edges: BTreeSet<EdgeId>,
}

impl<'a> Drawn<'a> {
    /// Outlines as they are drawn, each as its pieces in any order.
    ///
    /// # Errors
    /// `OpenOutline`; those of [`chain`].
    pub(super) fn new(
        shell: &'a Shell,
        face: usize,
        outlines: &[Vec<NurbsCurve>],
        toward: Vector3,
        tolerance: &'a Tolerance,
    ) -> Result<Self, SurfacingError> {
        let at = outlines.first().and_then(|o| o.first()).ok_or(SurfacingError::Empty)?.start();
        let frame = Frame::square_to(at, toward).ok_or(SurfacingError::OutlineOverEdge { at: at.into() })?;
        let own = &shell.faces()[face];
        let normal = inner_place(own).and_then(|[u, v]| own.surface.normal(u, v));
        let outer = normal.is_none_or(|n| (n.dot(&toward) > 0.0) != own.reversed);
        let (mut chained, mut polygons) = (Vec::new(), Vec::new());
        for outline in outlines {
            let order = chain(outline, tolerance)?;
            let mut pieces = order.run(outline);
            if !order.closed {
                let (first, last) = (pieces[0].start(), pieces[pieces.len() - 1].end());
                return Err(SurfacingError::OpenOutline { gap: (first - last).norm(), at: last.into() });
            }
            let places =
                |c: &NurbsCurve| c.knots().sampled(DRAWN).into_iter().map(|t| c.point(t)).collect::<Vec<_>>();
            let flat = |pieces: &[NurbsCurve]| -> Vec<[f64; 2]> {
                pieces.iter().flat_map(places).map(|p| frame.coordinates(&p)).map(|p| [p.x, p.y]).collect()
            };
            let mut polygon = flat(&pieces);
            if (polygon_area(&polygon) < 0.0) == outer {
                pieces.reverse();
                pieces.iter_mut().for_each(|c| *c = c.reversed());
                polygon.reverse();
            }
            chained.push(pieces);
            polygons.push(polygon);
        }
        Ok(Self { shell, face, toward, tolerance, frame, outlines: chained, polygons })
    }

    /// The role of the face that they begin on.
    pub(super) fn role(&self) -> &str {
        &self.shell.faces()[self.face].role
    }

    /// The shell parted along them.
    ///
    /// # Errors
    /// `OutlineOverEdge` where they do not shut anything in.
    pub(super) fn outlined(&self) -> Result<Outlined, SurfacingError> {
        let face = &self.shell.faces()[self.face];
        let on_face = self.pieces().map(|c| on_surface(c, &face.surface, &self.toward, self.tolerance));
        let on_face: Result<Vec<NurbsCurve>, SurfacingError> = on_face.collect();
        let within = on_face.and_then(|on_face| {
            let outlined = self.parted_by(&Shell::of_curves(&on_face, self.tolerance)?)?;
            self.as_drawn(outlined, &on_face)
        });
        within.or_else(|_| {
            // Over several faces: what tubes over the outlines cut out of them.
            let about = self.parted_by(&self.tubes()?)?;
            let curves: Vec<NurbsCurve> =
                about.edges.iter().filter_map(|e| about.shell.edge(*e).curve.clone()).collect();
            self.parted_by(&Shell::of_curves(&curves, self.tolerance)?)
        })
    }

    /// The same with edges that are whole pieces of the outlines just as those are, not fitted to them.
    fn as_drawn(&self, outlined: Outlined, pieces: &[NurbsCurve]) -> Result<Outlined, SurfacingError> {
        let mut edges = outlined.shell.edges().to_vec();
        let mut faces = outlined.shell.faces().to_vec();
        for id in &outlined.edges {
            let edge = &mut edges[id.index()];
            let Some(curve) = &edge.curve else { continue };
            let (d, join) = (curve.domain(), self.tolerance.join);
            let (middle, along) = (curve.point(d.at(0.5)), curve.velocity(d.at(0.5)));
            let near = |p: Point3, q: Point3| (p - q).norm() <= join;
            let piece = pieces.iter().find_map(|piece| {
                let foot = closest_on_curve(piece, &middle);
                let forward = piece.velocity(foot.parameter).dot(&along) > 0.0;
                let piece = if forward { piece.clone() } else { piece.reversed() };
                let fits = near(piece.start(), curve.start()) && near(piece.end(), curve.end());
                (foot.distance <= join && fits).then_some(piece)
            });
            let Some(piece) = piece else { continue };
            for face in &mut faces {
                for used in face.loops.iter_mut().flat_map(|l| &mut l.edges).filter(|u| u.edge == *id) {
                    used.pcurve = self.image(&piece, &face.surface)?;
                }
            }
            edge.curve = Some(piece);
        }
        let mut vertices = outlined.shell.vertices().to_vec();
        for edge in outlined.edges.iter().map(|e| &edges[e.index()]) {
            let Some(curve) = &edge.curve else { continue };
            vertices[edge.start.index()].point = curve.start();
            vertices[edge.end.index()].point = curve.end();
        }
        Ok(Outlined { shell: Shell::try_new(vertices, edges, faces)?, ..outlined })
    }

    /// The image of a curve that lies on a surface, in its own form where that is exact.
    fn image(&self, curve: &NurbsCurve, surface: &NurbsSurface) -> Result<NurbsCurve, SurfacingError> {
        let about = pcurve_on(curve, surface, self.tolerance)?;
        let at = |t: f64| {
            let near = about.point(t);
            let found = nearby_on_surface(surface, &curve.point(t), [near.x, near.y], self.tolerance.join);
            Ok(found.map_or([near.x, near.y], |f| f.parameters))
        };
        let point = |[u, v]: [f64; 2]| surface.point(u, v);
        followed(curve, &at, &point, images_follow(&curve.start(), self.tolerance))
    }

    fn pieces(&self) -> impl Iterator<Item = &NurbsCurve> {
        self.outlines.iter().flatten()
    }

    /// The numbers of the outline and of its piece that a curve on the shell lies over or under.
    pub(super) fn piece_of(&self, curve: &NurbsCurve) -> [usize; 2] {
        let flat = |p: &Point3| {
            let q = self.frame.coordinates(p);
            Point3::new(q.x, q.y, 0.0)
        };
        let at = flat(&curve.point(curve.domain().at(0.5)));
        let numbered = self
            .outlines
            .iter()
            .enumerate()
            .flat_map(|(o, pieces)| pieces.iter().enumerate().map(move |(k, c)| ([o, k], c)));
        let away = |c: &NurbsCurve| closest_on_curve(&c.mapped(flat), &at).distance;
        let nearest = numbered.map(|(at, c)| (away(c), at)).min_by(|a, b| a.0.total_cmp(&b.0));
        nearest.map_or([0, 0], |n| n.1)
    }

    /// The outlines drawn out along their direction, beyond all of the shell.
    fn tubes(&self) -> Result<Shell, SurfacingError> {
        let toward = self.toward;
        let heights: Vec<f64> = self
            .shell
            .faces()
            .iter()
            .flat_map(|f| f.surface.control_points())
            .map(|p| p.coords.dot(&toward))
            .collect();
        let (low, high) = heights.iter().fold((f64::MAX, f64::MIN), |(a, b), h| (a.min(*h), b.max(*h)));
        let more = 0.1 * (high - low) + 1.0;
        let surfaces = self.pieces().map(|c| {
            let at = |level: f64| c.mapped(|p| p + toward * (level - p.coords.dot(&toward)));
            let surface = NurbsSurface::ruled(&at(low - more), &at(high + more))?;
            Ok(natural_shell(Arc::new(surface), "", self.tolerance)?)
        });
        let surfaces = surfaces.collect::<Result<Vec<Shell>, SurfacingError>>()?;
        Ok(join(&surfaces, self.tolerance.join)?.shell)
    }

    /// A place of the face inside an outline and no opening, brought there as the outlines are, as far from them as any of a grid.
    fn place_inside(&self, outline: usize) -> Option<[f64; 2]> {
        let face = &self.shell.faces()[self.face];
        let outlines = Outlines::of(face);
        let own = &self.polygons[outline];
        let extent = |k: usize| {
            let (low, high) = own.iter().fold((f64::MAX, f64::MIN), |(a, b), p| (a.min(p[k]), b.max(p[k])));
            Domain::new(low, high)
        };
        let [x, y] = [extent(0), extent(1)];
        let share = |k: usize| (k as f64 + 0.5) / GRID as f64;
        let places = (0..GRID).flat_map(|i| (0..GRID).map(move |j| [x.at(share(i)), y.at(share(j))]));
        let is_inside = |p: &[f64; 2]| {
            polygon_holds(own, p) && self.polygons.iter().filter(|o| polygon_holds(o, p)).count() % 2 == 1
        };
        let away = |p: &[f64; 2]| {
            let all = self.polygons.iter().flatten();
            all.map(|q| (q[0] - p[0]).hypot(q[1] - p[1])).fold(f64::MAX, f64::min)
        };
        let mut inside: Vec<(f64, [f64; 2])> = places.filter(is_inside).map(|p| (away(&p), p)).collect();
        inside.sort_by(|a, b| b.0.total_cmp(&a.0));
        inside.into_iter().find_map(|(_, [x, y])| {
            let found = along_direction(&face.surface, &self.frame.to_space(x, y), &self.toward);
            let on_face = found.distance <= ON_FACE * self.tolerance.resolution;
            (on_face && outlines.hold(&found.parameters)).then_some(found.parameters)
        })
    }

    fn over_edge(&self, outline: usize) -> SurfacingError {
        SurfacingError::OutlineOverEdge { at: self.outlines[outline][0].start().into() }
    }

    /// The shell parted along a cutter over or on the outlines.
    ///
    /// # Errors
    /// `OutlineOverEdge` where it shuts nothing in.
    fn parted_by(&self, cutter: &Shell) -> Result<Outlined, SurfacingError> {
        let made = imprint(&[self.shell, cutter], self.tolerance)?;
        let number = FaceId(self.face as u32);
        let own: Vec<usize> =
            (0..made.shell.faces().len()).filter(|f| made.sources[*f].iter().any(|s| s.input == 0)).collect();
        let all = own.iter().map(|f| made.shell.faces()[*f].clone()).collect();
        let shell = Shell::of_used(made.shell.vertices(), made.shell.edges(), all)?;
        let mut inside: BTreeSet<usize> = BTreeSet::new();
        for (k, polygon) in self.polygons.iter().enumerate() {
            let is_opening = self
                .polygons
                .iter()
                .enumerate()
                .filter(|(j, o)| *j != k && polygon_holds(o, &polygon[0]))
                .count()
                % 2
                == 1;
            if is_opening {
                continue;
            }
            let place = self.place_inside(k).ok_or_else(|| self.over_edge(k))?;
            let holds = |f: &usize| {
                let is_of = made.sources[own[*f]].iter().any(|s| s.input == 0 && s.face == number);
                is_of && Outlines::of(&shell.faces()[*f]).hold(&place)
            };
            inside.insert((0..own.len()).find(holds).ok_or_else(|| self.over_edge(k))?);
        }
        let on_cutter = |edge: EdgeId| {
            let Some(curve) = &shell.edge(edge).curve else { return false };
            let p = curve.point(curve.domain().at(0.5));
            let surfaces = cutter.faces().iter().map(|f| closest_on_surface(&f.surface, &p).distance);
            let curves = cutter.edges().iter().filter_map(|e| e.curve.as_ref());
            let curves =
                curves.filter(|_| cutter.faces().is_empty()).map(|c| closest_on_curve(c, &p).distance);
            surfaces.chain(curves).fold(f64::MAX, f64::min) <= self.tolerance.join
        };
        // On from there over edges inside the outline, to faces that look the same way; the walls of openings do not.
        let halves = Halves::new(&shell);
        let looks = |half: usize| {
            let used = halves.used(half);
            let at = used.pcurve.domain().at(0.5);
            let side = Side::new(&shell.faces()[halves.all[half].face], used, at)?;
            Some(side.normal.dot(&self.toward))
        };
        let mut open: Vec<usize> = inside.iter().copied().collect();
        let mut edges = BTreeSet::new();
        let mut way = None;
        while let Some(face) = open.pop() {
            for half in (0..halves.all.len()).filter(|h| halves.all[*h].face == face) {
                let one = halves.all[half];
                way = way.or_else(|| looks(half).map(f64::signum));
                if on_cutter(one.edge) {
                    edges.insert(one.edge);
                    continue;
                }
                let Some(twin) = one.twin else { continue };
                let same_way = looks(twin).zip(way).is_some_and(|(l, way)| l * way > STEEPEST);
                if same_way && inside.insert(halves.all[twin].face) {
                    open.push(halves.all[twin].face);
                }
            }
        }
        // What is cut on both sides, or on neither all round, shuts nothing in.
        let parts = |e: &EdgeId| {
            let users = halves.all.iter().filter(|h| h.edge == *e);
            users.filter(|h| inside.contains(&h.face)).count() == 1
        };
        if edges.is_empty() || !edges.iter().all(parts) {
            return Err(self.over_edge(0));
        }
        Ok(Outlined { shell, inside, edges })
    }
}
