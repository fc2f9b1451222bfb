//! What is put in the place of an edge, section by section: an arc that touches both faces, or a flat across the edge.
//!
//! A section lies about where a plane square to the edge cuts both faces. The ball's centre is at its radius from both
//! (Vida, Martin, Varady, A survey of blending methods that use parametric surfaces, CAD 26, 1994, section 4), found by
//! Newton's method.

use std::cell::{Cell, RefCell};

use geometry::{Domain, KnotVector, NurbsCurve, Point3, Vector3, with_end_at};
use nalgebra::{Matrix2, Matrix4, SMatrix, SVector, Vector2, Vector4};

use super::{Measured, Round, SlantBy};
use crate::ground::Ground;
use crate::straightest::straightest;
use crate::strip::Cross;

const MAX_STEPS: usize = 30;
/// Share of a size within which Newton's method has settled.
const SETTLED: f64 = 1e-12;
/// The same for what is accepted once it gets no nearer.
const ACCEPTED: f64 = 1e-9;
/// The same where it cannot get nearer since the surface closes with a normal that is not quite one.
const AT_A_SEAM: f64 = 2e-5;

/// Share of a place's own motion below which the centre of a ball that touches there does not move.
const STANDS: f64 = 1e-6;

/// Sine of the angle between a closed curve's ends within which it goes round smoothly, and the share of it by which it goes
/// on then.
const ROUND: f64 = 0.02;
const AGAIN: f64 = 0.25;

/// Over how many sizes sections are led to those of what follows.
const LEANING: f64 = 2.0;
/// Shares of a ball's radius over which it is blown up where it is not found at once.
const BLOWN_UP: [f64; 7] = [0.2, 0.5, 0.75, 0.9, 0.97, 0.99, 1.0];

/// What a section is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Profile {
    /// A curve between the places at which a ball touches both faces, tangent to them.
    Round(Round),
    /// An arc that touches a third face between the two.
    Full,
    /// A straight line from a place at a distance from the edge, on the side of its number, to one on the other side.
    Flat { first: usize, by: SlantBy, measured: Measured },
}

/// A place at which a section touches a face.
#[derive(Debug, Clone, Copy)]
pub(super) struct Contact {
    pub(super) at: [f64; 2],
    pub(super) point: Point3,
}

/// A section: a conic arc with its ends on the faces, or a straight line.
#[derive(Debug, Clone, Copy)]
pub(super) struct Section {
    pub(super) contacts: [Contact; 2],
    /// The ball's centre; for a flat the middle of it.
    pub(super) centre: Point3,
    /// Where the tangents at the ends of the arc meet; of one that touches a third face, where it does.
    pub(super) apex: Point3,
    /// The weight of the apex: the cosine of half the arc's turn.
    pub(super) weight: f64,
    /// The faces' curvatures at its ends along it, in 1/mm, along the normals to the sides to which they bend; nothing where that is of
    /// no use.
    pub(super) bends: [Vector3; 2],
    /// The place at which it touches a third face in its midst.
    pub(super) middle: Option<Contact>,
}

/// The place at which all sections of a strip end, short of one of its sides.
#[derive(Debug, Clone, Copy)]
pub(super) struct Pole {
    pub(super) side: usize,
    pub(super) at: Point3,
    /// How far off it true sections pass at most.
    pub(super) miss: f64,
}

impl Section {
    /// The contact with a side, or with the third face as number two.
    pub(super) fn contact(&self, side: usize) -> Option<Contact> {
        self.contacts.get(side).copied().or(self.middle)
    }

    /// With its sides the other way round.
    pub(super) fn turned(&self, turned: bool) -> Self {
        let ([a, b], [first, second]) = (self.contacts, self.bends);
        if turned { Self { contacts: [b, a], bends: [second, first], ..*self } } else { *self }
    }

    /// How far its contacts are from another one's, in millimetres.
    pub(super) fn apart(&self, other: &Self) -> f64 {
        let apart = |k: usize| (self.contacts[k].point - other.contacts[k].point).norm();
        apart(0).max(apart(1))
    }

    /// The section halfway to another one.
    pub(super) fn halfway(&self, other: &Self) -> Self {
        let contacts = [0, 1].map(|k| {
            let point = nalgebra::center(&self.contacts[k].point, &other.contacts[k].point);
            Contact { point, ..self.contacts[k] }
        });
        Self {
            contacts,
            centre: nalgebra::center(&self.centre, &other.centre),
            apex: nalgebra::center(&self.apex, &other.apex),
            weight: 0.5 * (self.weight + other.weight),
            bends: [0, 1].map(|k| 0.5 * (self.bends[k] + other.bends[k])),
            middle: None,
        }
    }

    /// As a section of a strip that ends at a pole.
    pub(super) fn cut_at(&self, profile: Profile, pole: &Pole) -> Option<Cross> {
        let own = self.contacts[1 - pole.side];
        let mut poles = match profile {
            Profile::Flat { .. } => vec![(own.point, 1.0), (pole.at, 1.0)],
            Profile::Full => return None,
            Profile::Round(round) => {
                // The circle that leaves the face along it and ends at the pole.
                let normal = (own.point - self.centre).normalize();
                let chord = pole.at - own.point;
                let along = (chord - normal * normal.dot(&chord)).try_normalize(1e-9 * chord.norm())?;
                let weight = along.dot(&chord) / chord.norm();
                let apex = own.point + along * (0.5 * chord.norm() / weight);
                round.poles(
                    [own.point, pole.at],
                    (apex, weight),
                    [self.bends[1 - pole.side], Vector3::zeros()],
                )
            }
        };
        let mut feet = vec![own.at, [0.0; 2]];
        if pole.side == 0 {
            poles.reverse();
            feet.reverse();
        }
        Some(Cross { poles, feet })
    }

    /// As a section of the surface made of all of them.
    pub(super) fn cross(&self, profile: Profile) -> Cross {
        let ends = self.contacts.map(|c| c.point);
        let poles = match profile {
            Profile::Flat { .. } => ends.map(|p| (p, 1.0)).to_vec(),
            Profile::Full => arc_through(ends[0], self.apex, ends[1]),
            Profile::Round(round) => round.poles(ends, (self.apex, self.weight), self.bends),
        };
        Cross { poles, feet: self.contacts.map(|c| c.at).to_vec() }
    }
}

/// A length by the guide's parameter.
pub(super) type LengthAt<'a> = Box<dyn Fn(f64) -> f64 + 'a>;

/// What tells where a section touches both faces, about, by the guide's parameter in their parameter planes.
pub(super) enum Near {
    /// The edge along which they meet.
    Edge([NurbsCurve; 2]),
    /// The feet of the ball's centre, which runs along the guide.
    Feet([NurbsCurve; 2]),
}

/// What of a ball stands in the planes square to the guide.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum InPlane {
    /// Its centre, which all but stays where it is in a bend that is about as tight as the ball.
    Centre,
    /// Where it touches one side.
    Contact(usize),
    /// The place of it midway between both contacts, the nearest to the guide: a ball that all but fills a crease has its centre
    /// about at one place all along.
    Middle,
}

/// Two grounds along a curve near which they meet.
pub(super) struct Track<'a> {
    /// The curve, longer at its ends.
    pub(super) guide: NurbsCurve,
    /// The part of its domain that is the edge itself.
    pub(super) own: Domain,
    pub(super) grounds: [&'a Ground; 2],
    pub(super) near: Near,
    /// The third face that sections touch, with the feet of the ball's centre on it.
    pub(super) third: Option<(&'a Ground, NurbsCurve)>,
    /// Side of the faces on which the ball rolls: -1 inside of both, 1 outside.
    pub(super) side: f64,
    pub(super) profile: Profile,
    /// The radius, or the distance of a flat's ends, by the guide's parameter.
    pub(super) size: LengthAt<'a>,
    /// Whether that is the same everywhere.
    pub(super) even: bool,
    /// Directions at the edge's beginning and end, where it goes on smoothly: halfway between its own and that of what follows.
    pub(super) joints: [Option<Vector3>; 2],
    /// Whether the faces go over into each other smoothly at its beginning and at its end, so that sections narrow down to a point.
    pub(super) tips: [bool; 2],
    in_plane: Cell<InPlane>,
    known: RefCell<Vec<(f64, Section)>>,
    /// Where sections are led to those of what follows.
    leans: RefCell<Vec<Lean>>,
}

/// Sections led to another one at a parameter: by how much there, less and less over the parameters on either side of it.
struct Lean {
    at: f64,
    over: f64,
    contacts: [Vector3; 2],
    centre: Vector3,
    apex: Vector3,
    weight: f64,
    bends: [Vector3; 2],
}

impl Lean {
    /// How much of it counts.
    fn share(&self, t: f64) -> f64 {
        let s = ((t - self.at) / self.over).abs().min(1.0);
        (1.0 - s) * (1.0 - s) * (1.0 + 2.0 * s)
    }
}

impl<'a> Track<'a> {
    /// A track along a guide, of which a part is the edge itself.
    pub(super) fn new(
        (guide, own): (NurbsCurve, Domain),
        grounds: [&'a Ground; 2],
        near: Near,
        side: f64,
        profile: Profile,
        size: LengthAt<'a>,
        even: bool,
    ) -> Self {
        Self {
            guide,
            own,
            grounds,
            near,
            third: None,
            side,
            profile,
            size,
            even,
            joints: [None; 2],
            tips: [false; 2],
            in_plane: Cell::new(InPlane::Centre),
            known: RefCell::default(),
            leans: RefCell::default(),
        }
    }

    /// Makes another part of the ball stand in the planes square to the guide.
    pub(super) fn hold(&self, what: InPlane) {
        self.in_plane.set(what);
        self.known.borrow_mut().clear();
    }

    /// The section at a parameter of the guide; `None` where nothing touches both faces.
    pub(super) fn section(&self, t: f64) -> Option<Section> {
        let d = self.guide.domain();
        if t < d.start - 1e-9 * d.length() || t > d.end + 1e-9 * d.length() {
            return None;
        }
        let nearest = {
            let known = self.known.borrow();
            known.iter().min_by(|a, b| (a.0 - t).abs().total_cmp(&(b.0 - t).abs())).copied()
        };
        if let Some((at, section)) = nearest
            && at == t
        {
            return Some(section);
        }
        for (tip, end) in self.tips.into_iter().zip([self.own.start, self.own.end]) {
            if tip && (t - end).abs() <= 1e-9 * self.own.length() {
                return self.narrowed(end);
            }
        }
        let near = nearest.map(|(_, s)| s.contacts.map(|c| c.at));
        // The edge itself tells on which turn of a closed surface it is.
        let size = (self.size)(t);
        let guess = self.guess(t, size);
        let found = guess.and_then(|g| self.solved(t, size, g)).or_else(|| self.solved(t, size, near?));
        let mut found = found.or_else(|| self.blown_up(t, size))?;
        for lean in self.leans.borrow().iter().filter(|l| l.share(t) > 0.0) {
            found = self.led(found, lean, lean.share(t));
        }
        self.known.borrow_mut().push((t, found));
        Some(found)
    }

    /// What sections narrow down to at an end at which the faces have one tangent plane.
    fn narrowed(&self, t: f64) -> Option<Section> {
        let (Near::Edge(pcurves) | Near::Feet(pcurves)) = &self.near;
        let contacts = [0, 1].map(|k| {
            let p = pcurves[k].point(t);
            Contact { at: [p.x, p.y], point: self.grounds[k].point([p.x, p.y]) }
        });
        let Contact { at, point } = contacts[0];
        let normal = self.grounds[0].place(at)?.normal;
        let centre = point + normal * (self.side * (self.size)(t));
        Some(Section {
            contacts,
            centre,
            apex: point,
            weight: 1.0,
            bends: [Vector3::zeros(); 2],
            middle: None,
        })
    }

    /// Leads sections to another one at a parameter, where a face goes on with a bend that is too small for a corner: half way on
    /// either side of it, so that the strips are one there.
    pub(super) fn lean(&self, at: f64, to: &Section) {
        let Some(own) = self.section(at) else { return };
        let speed = self.guide.velocity(at).norm().max(f64::MIN_POSITIVE);
        let over = (LEANING * (self.size)(at) / speed).min(0.5 * self.own.length());
        let lean = Lean {
            at,
            over,
            contacts: [0, 1].map(|k| to.contacts[k].point - own.contacts[k].point),
            centre: to.centre - own.centre,
            apex: to.apex - own.apex,
            weight: to.weight - own.weight,
            bends: [0, 1].map(|k| to.bends[k] - own.bends[k]),
        };
        self.leans.borrow_mut().push(lean);
        self.known.borrow_mut().clear();
    }

    fn led(&self, section: Section, lean: &Lean, share: f64) -> Section {
        let contacts = [0, 1].map(|k| {
            let (ground, way) = (self.grounds[k], lean.contacts[k] * share);
            let at = ground.moved(section.contacts[k].at, &way);
            let at = ground.nearest(at, &(section.contacts[k].point + way)).unwrap_or(at);
            Contact { at, point: ground.point(at) }
        });
        Section {
            contacts,
            centre: section.centre + lean.centre * share,
            apex: section.apex + lean.apex * share,
            weight: section.weight + lean.weight * share,
            bends: [0, 1].map(|k| section.bends[k] + lean.bends[k] * share),
            middle: section.middle,
        }
    }

    /// Parameters on both faces near a section's ends, from the faces' tangent planes at the edge.
    fn guess(&self, t: f64, size: f64) -> Option<[[f64; 2]; 2]> {
        let t = self.own.clamp(t);
        let along = self.along(t)?;
        let (Near::Edge(pcurves) | Near::Feet(pcurves)) = &self.near;
        let at = [0, 1].map(|k| {
            let p = pcurves[k].point(t);
            [p.x, p.y]
        });
        if matches!(self.near, Near::Feet(_)) {
            return Some(at);
        }
        let normals = [self.grounds[0].place(at[0])?.normal, self.grounds[1].place(at[1])?.normal];
        let into = self.into(&along, &normals)?;
        let open = into[0].dot(&into[1]).clamp(-1.0, 1.0).acos();
        let back = match self.profile {
            Profile::Flat { first: 0, by, .. } => [size, by.other(size, open)?],
            Profile::Flat { by, .. } => [by.other(size, open)?, size],
            Profile::Round(_) | Profile::Full => [size / (0.5 * open).tan(); 2],
        };
        Some([0, 1].map(|k| self.grounds[k].moved(at[k], &(into[k] * back[k]))))
    }

    /// The direction of the guide; toward a joint more and more the one that both sides have there, so that sections on one
    /// side of it go on where those on the other end.
    fn along(&self, t: f64) -> Option<Vector3> {
        let Domain { start, end } = self.own;
        let (whole, step) = (self.own.length(), 1e-9 * self.own.length());
        let mut along = self.guide.tangent(t)?;
        for (joint, at, inward) in [(self.joints[0], start, step), (self.joints[1], end, -step)] {
            let Some(joint) = joint else { continue };
            if (t - at).abs() <= step {
                return Some(joint);
            }
            let near = 1.0 - (t - at).abs() / (AGAIN * whole);
            if near > 0.0 {
                // Beyond a joint the guide is what follows, which may turn from it by as much the other way.
                let inside = (start..=end).contains(&t);
                along += (joint - self.guide.tangent(if inside { at + inward } else { at - inward })?) * near;
            }
        }
        along.try_normalize(f64::MIN_POSITIVE)
    }

    /// Directions from the edge into both faces.
    fn into(&self, along: &Vector3, normals: &[Vector3; 2]) -> Option<[Vector3; 2]> {
        let across = |own: &Vector3, other: &Vector3| {
            let out = along.cross(own).try_normalize(f64::MIN_POSITIVE)?;
            // Of a convex edge the face leads to the other one's inner side.
            let toward = out.dot(other) * self.side;
            Some(if toward > 0.0 { out } else { -out })
        };
        Some([across(&normals[0], &normals[1])?, across(&normals[1], &normals[0])?])
    }

    /// The section of a ball that was blown up from a smaller one, for which the faces' tangent planes tell more.
    fn blown_up(&self, t: f64, size: f64) -> Option<Section> {
        if self.in_plane.get() == InPlane::Centre {
            return None;
        }
        let mut near = self.guess(t, BLOWN_UP[0] * size)?;
        let mut found = None;
        for share in BLOWN_UP {
            let section = self.solved(t, share * size, near)?;
            near = section.contacts.map(|c| c.at);
            found = Some(section);
        }
        found
    }

    fn solved(&self, t: f64, size: f64, near: [[f64; 2]; 2]) -> Option<Section> {
        let (from, along) = (self.guide.point(t), self.along(t)?);
        if size.is_nan() || size <= 0.0 {
            return None;
        }
        match self.profile {
            Profile::Round(_) => self.ball(from, along, size, near),
            Profile::Full => {
                let (third, feet) = self.third.as_ref()?;
                let p = feet.point(self.own.clamp(t));
                let [a, b] = near;
                ball_of_three(
                    [self.grounds[0], self.grounds[1], third],
                    (from, along),
                    ([a, b, [p.x, p.y]], size),
                )
            }
            Profile::Flat { first, by, measured } => {
                let at = |k: usize, far: f64| match measured {
                    Measured::Straight => at_distance(self.grounds[k], from, along, far, near[k]),
                    Measured::Along => self.along_face(k, t, far),
                };
                let begin = at(first, size)?;
                let end = match by {
                    SlantBy::Ratio(ratio) => at(1 - first, ratio * size)?,
                    SlantBy::Angle(angle) => {
                        // From the line back to the edge, turned toward the other face.
                        let back = (from - begin.point).normalize();
                        let beside = self.grounds[1 - first].point(near[1 - first]) - from;
                        let across = along.cross(&back);
                        let across = if across.dot(&beside) < 0.0 { -across } else { across };
                        let flat = back * angle.cos() + across * angle.sin();
                        let square = flat.cross(&along);
                        in_planes(
                            self.grounds[1 - first],
                            (from, along),
                            (begin.point, square),
                            near[1 - first],
                        )?
                    }
                };
                let contacts = if first == 0 { [begin, end] } else { [end, begin] };
                let middle = nalgebra::center(&contacts[0].point, &contacts[1].point);
                Some(Section {
                    contacts,
                    centre: middle,
                    apex: middle,
                    weight: 1.0,
                    bends: [Vector3::zeros(); 2],
                    middle: None,
                })
            }
        }
    }

    /// The place of a face at a distance along it from the edge, to which the way there is square.
    fn along_face(&self, k: usize, t: f64, far: f64) -> Option<Contact> {
        let (from, along) = (self.guide.point(t), self.along(t)?);
        let (Near::Edge(pcurves) | Near::Feet(pcurves)) = &self.near;
        let foot = |k: usize| {
            let p = pcurves[k].point(self.own.clamp(t));
            self.grounds[k].nearest([p.x, p.y], &from)
        };
        let feet = [foot(0)?, foot(1)?];
        let normals = [self.grounds[0].place(feet[0])?.normal, self.grounds[1].place(feet[1])?.normal];
        let at = straightest(self.grounds[k], feet[k], self.into(&along, &normals)?[k], far)?;
        Some(Contact { at, point: self.grounds[k].point(at) })
    }

    /// A ball that touches both grounds, with its centre in the plane through a place square to a direction.
    fn ball(&self, from: Point3, along: Vector3, radius: f64, near: [[f64; 2]; 2]) -> Option<Section> {
        let reach = self.side * radius;
        let scale = radius + 1e-3 * from.coords.norm();
        let mut x = Vector4::new(near[0][0], near[0][1], near[1][0], near[1][1]);
        let mut before = f64::MAX;
        let mut best = (f64::MAX, x);
        for _ in 0..MAX_STEPS {
            let (a, b) = (self.grounds[0].place([x[0], x[1]])?, self.grounds[1].place([x[2], x[3]])?);
            let centre = a.point + a.normal * reach;
            let other = b.point + b.normal * reach;
            let apart = centre - other;
            let in_plane = self.in_plane.get();
            let both = a.normal + b.normal;
            let midway = both.try_normalize(f64::MIN_POSITIVE)?;
            let stands = match in_plane {
                InPlane::Centre => centre,
                InPlane::Contact(side) => [a.point, b.point][side],
                InPlane::Middle => centre - midway * reach,
            };
            let off = Vector4::new(apart.x, apart.y, apart.z, (stands - from).dot(&along));
            let miss = off.norm();
            if miss <= SETTLED * scale || (miss <= ACCEPTED * scale && miss >= 0.5 * before) {
                return self.touching(x, radius);
            }
            if miss < best.0 {
                best = (miss, x);
            }
            before = miss;
            let mut stands = false;
            let mut column = |k: usize| {
                let (place, sign) = if k < 2 { (&a, 1.0) } else { (&b, -1.0) };
                let moved = place.rates[k % 2] + place.turns[k % 2] * reach;
                let ahead = match in_plane {
                    InPlane::Centre if k < 2 => moved.dot(&along),
                    InPlane::Contact(side) if k / 2 == side => place.rates[k % 2].dot(&along),
                    InPlane::Middle => {
                        let turn = place.turns[k % 2];
                        let turned = (turn - midway * midway.dot(&turn)) * (reach / both.norm());
                        (if k < 2 { moved - turned } else { -turned }).dot(&along)
                    }
                    _ => 0.0,
                };
                if moved.norm() <= STANDS * place.rates[k % 2].norm() && in_plane == InPlane::Centre {
                    stands = true;
                    return Vector4::zeros();
                }
                Vector4::new(sign * moved.x, sign * moved.y, sign * moved.z, ahead)
            };
            let jacobian = Matrix4::from_columns(&[column(0), column(1), column(2), column(3)]);
            // A ball as round as the face stays where it is, wherever on it it touches: that parameter stays too.
            x -= if stands {
                jacobian.svd(true, true).solve(&off, STANDS * jacobian.norm()).ok()?
            } else {
                jacobian.lu().solve(&off)?
            };
        }
        // Where a fitted surface closes, its normals on either side leave a gap in which no step ends.
        (best.0 <= AT_A_SEAM * radius).then(|| self.touching(best.1, radius)).flatten()
    }

    /// The section of a ball that touches both grounds at parameters.
    fn touching(&self, x: Vector4<f64>, radius: f64) -> Option<Section> {
        let at = [[x[0], x[1]], [x[2], x[3]]];
        if !(self.grounds[0].holds(at[0]) && self.grounds[1].holds(at[1])) {
            return None;
        }
        let place = self.grounds[0].place(at[0])?;
        let centre = place.point + place.normal * (self.side * radius);
        let contacts = [0, 1].map(|k| Contact { at: at[k], point: self.grounds[k].point(at[k]) });
        let arms = contacts.map(|c| (c.point - centre) / radius);
        let between = arms[0] + arms[1];
        let weight = 0.5 * between.norm();
        let apex = centre + between.try_normalize(1e-9)? * (radius / weight);
        let bends = match self.profile {
            Profile::Round(Round::Agreeing(_)) => [0, 1]
                .map(|k| bend_of(self.grounds[k], at[k], &(apex - contacts[k].point)).unwrap_or_default()),
            _ => [Vector3::zeros(); 2],
        };
        Some(Section { contacts, centre, apex, weight, bends, middle: None })
    }
}

/// A ball that touches three grounds, the last of them between the others, with its centre in a plane through a place, from places
/// near those at which it touches and a radius near its own.
pub(super) fn ball_of_three(
    grounds: [&Ground; 3],
    (from, along): (Point3, Vector3),
    (near, radius): ([[f64; 2]; 3], f64),
) -> Option<Section> {
    let scale = radius + 1e-3 * from.coords.norm();
    let mut x = SVector::<f64, 7>::zeros();
    for (k, at) in near.iter().enumerate() {
        (x[2 * k], x[2 * k + 1]) = (at[0], at[1]);
    }
    x[6] = radius;
    let mut before = f64::MAX;
    for _ in 0..MAX_STEPS {
        let at = [0, 1, 2].map(|k| [x[2 * k], x[2 * k + 1]]);
        let [a, b, c] = [0, 1, 2].map(|k| grounds[k].place(at[k]));
        let places = [a?, b?, c?];
        let centres = [0, 1, 2].map(|k| places[k].point + places[k].normal * x[6]);
        let (one, two) = (centres[0] - centres[1], centres[0] - centres[2]);
        let off = SVector::<f64, 7>::from([
            one.x,
            one.y,
            one.z,
            two.x,
            two.y,
            two.z,
            (centres[0] - from).dot(&along),
        ]);
        let miss = off.norm();
        if miss <= SETTLED * scale || (miss <= ACCEPTED * scale && miss >= 0.5 * before) {
            if x[6] <= 0.0 || !(0..3).all(|k| grounds[k].holds(at[k])) {
                return None;
            }
            let [a, b, middle] = [0, 1, 2].map(|k| Contact { at: at[k], point: places[k].point });
            return Some(Section {
                contacts: [a, b],
                centre: centres[0],
                apex: middle.point,
                weight: 1.0,
                bends: [Vector3::zeros(); 2],
                middle: Some(middle),
            });
        }
        before = miss;
        let mut jacobian = SMatrix::<f64, 7, 7>::zeros();
        let mut put = |column: usize, moved: [Vector3; 3]| {
            let (one, two) = (moved[0] - moved[1], moved[0] - moved[2]);
            let rows = [one.x, one.y, one.z, two.x, two.y, two.z, moved[0].dot(&along)];
            jacobian.set_column(column, &SVector::from(rows));
        };
        for k in 0..3 {
            for i in 0..2 {
                let mut moved = [Vector3::zeros(); 3];
                moved[k] = places[k].rates[i] + places[k].turns[i] * x[6];
                put(2 * k + i, moved);
            }
        }
        put(6, [0, 1, 2].map(|k| places[k].normal));
        x -= jacobian.lu().solve(&off)?;
    }
    None
}

/// The arc from one place over another to a third one as a cubic, which can turn by up to 240 degrees: a quadratic one with its degree
/// raised, whose middle point may be at infinity (The NURBS Book, section 7.3).
fn arc_through(a: Point3, over: Point3, b: Point3) -> Vec<(Point3, f64)> {
    let (p, q) = (over - a, b - a);
    let normal = p.cross(&q);
    let square = normal.norm_squared();
    if square <= f64::EPSILON * p.norm_squared() * q.norm_squared() {
        return vec![(a, 1.0), (a + q / 3.0, 1.0), (b - q / 3.0, 1.0), (b, 1.0)];
    }
    let centre =
        a + (normal.cross(&p) * q.norm_squared() - normal.cross(&q) * p.norm_squared()) / (2.0 * square);
    let radius = (a - centre).norm();
    let chord = nalgebra::center(&a, &b);
    // From the centre to the middle of the arc.
    let out = q.cross(&normal);
    let out = out * (radius / out.norm());
    let cosine = (chord - centre).dot(&out) / (radius * radius);
    // Its own weight times what would be the quadratic's middle point, finite for a half circle too.
    let weighted = centre.coords * cosine + out;
    let weight = (1.0 + 2.0 * cosine) / 3.0;
    let inner = |end: Point3| Point3::from((end.coords + weighted * 2.0) / (3.0 * weight));
    vec![(a, 1.0), (inner(a), weight), (inner(b), weight), (b, 1.0)]
}

/// The curvature of a ground along a tangent of it, as a vector in 1/mm along the normal to the side to which it bends.
fn bend_of(ground: &Ground, at: [f64; 2], along: &Vector3) -> Option<Vector3> {
    let place = ground.place(at)?;
    let there = ground.moved(at, along);
    let [du, dv] = [0, 1].map(|k| there[k] - at[k]);
    let (step, turn) = (place.rates[0] * du + place.rates[1] * dv, place.turns[0] * du + place.turns[1] * dv);
    Some(place.normal * (-turn.dot(&step) / step.norm_squared().max(f64::MIN_POSITIVE)))
}

/// The place of a ground in two planes, each given by a place and its normal.
fn in_planes(
    ground: &Ground,
    one: (Point3, Vector3),
    other: (Point3, Vector3),
    near: [f64; 2],
) -> Option<Contact> {
    let scale = (one.0 - other.0).norm() + 1e-3 * one.0.coords.norm();
    let mut x = Vector2::new(near[0], near[1]);
    let mut before = f64::MAX;
    for _ in 0..MAX_STEPS {
        let place = ground.place([x[0], x[1]])?;
        let off = Vector2::new((place.point - one.0).dot(&one.1), (place.point - other.0).dot(&other.1));
        let miss = off.norm();
        if miss <= SETTLED * scale || (miss <= ACCEPTED * scale && miss >= 0.5 * before) {
            let at = [x[0], x[1]];
            return ground.holds(at).then_some(Contact { at, point: place.point });
        }
        before = miss;
        let column = |i: usize| Vector2::new(place.rates[i].dot(&one.1), place.rates[i].dot(&other.1));
        x -= Matrix2::from_columns(&[column(0), column(1)]).lu().solve(&off)?;
    }
    None
}

/// The place of a ground at a distance from another one, in the plane there square to a direction.
pub(super) fn at_distance(
    ground: &Ground,
    from: Point3,
    along: Vector3,
    distance: f64,
    near: [f64; 2],
) -> Option<Contact> {
    let scale = distance + 1e-3 * from.coords.norm();
    let mut x = Vector2::new(near[0], near[1]);
    let mut before = f64::MAX;
    for _ in 0..MAX_STEPS {
        let place = ground.place([x[0], x[1]])?;
        let arm = place.point - from;
        let length = arm.norm();
        let off = Vector2::new(arm.dot(&along), length - distance);
        let miss = off.norm();
        if miss <= SETTLED * scale || (miss <= ACCEPTED * scale && miss >= 0.5 * before) {
            let at = [x[0], x[1]];
            return ground.holds(at).then_some(Contact { at, point: place.point });
        }
        before = miss;
        let column = |i: usize| Vector2::new(place.rates[i].dot(&along), place.rates[i].dot(&arm) / length);
        x -= Matrix2::from_columns(&[column(0), column(1)]).lu().solve(&off)?;
    }
    None
}

/// A curve run on at both ends, as far as it can: round again where it closes smoothly, else in its own nature.
pub(super) fn longer(curve: &NurbsCurve, margin: f64) -> NurbsCurve {
    let d = curve.domain();
    if let Some(round) = round_again(curve) {
        return round;
    }
    let ahead = run_on(curve, margin);
    let back = run_on(&ahead.reversed(), margin);
    let by = back.domain().length() - ahead.domain().length();
    back.reversed().over(Domain::new(d.start - by, ahead.domain().end))
}

/// A curve that closes smoothly with a part of it before its beginning and after its end.
fn round_again(curve: &NurbsCurve) -> Option<NurbsCurve> {
    let d = curve.domain();
    let (a, b) = (curve.tangent(d.start)?, curve.tangent(d.end)?);
    let size = curve.polygon_length();
    if (curve.end() - curve.start()).norm() > 1e-6 * size || a.dot(&b) <= 0.0 || a.cross(&b).norm() > ROUND {
        return None;
    }
    // As fast by the parameter on either side of where it closes.
    let faster = curve.velocity(d.end).norm() / curve.velocity(d.start).norm().max(f64::MIN_POSITIVE);
    let (before, after) = (curve.part(d.at(1.0 - AGAIN), d.end), curve.part(d.start, d.at(AGAIN)));
    let (back, ahead) =
        (before.domain().length() * faster, after.domain().length() / faster.max(f64::MIN_POSITIVE));
    let before = before.over(Domain::new(d.start - back, d.start));
    let after = after.over(Domain::new(d.end, d.end + ahead));
    appended(&appended(&before, curve)?, &after)
}

/// A curve run on at its end: by its last piece, or where that is much shorter than the way, so that nothing can be told from
/// how it bends more and more, as it bends at its end.
fn run_on(curve: &NurbsCurve, margin: f64) -> NurbsCurve {
    let d = curve.domain();
    let (point, [rate, bend, _]) = curve.derivatives(d.end);
    let speed = rate.norm().max(f64::MIN_POSITIVE);
    let breaks = curve.knots().breaks();
    let last = (d.end - breaks[breaks.len() - 2]) * speed;
    if curve.degree() > 2 && !curve.is_rational() && last < margin {
        let by = margin / speed;
        let p = curve.degree() as f64;
        // Taylor's polynomial of the second order as a Bezier curve of the same degree.
        let control = |k: usize| {
            let k = k as f64;
            point + rate * (by * k / p) + bend * (0.5 * by * by * k * (k - 1.0) / (p * (p - 1.0)))
        };
        let points: Vec<Point3> = (0..=curve.degree()).map(control).collect();
        let piece = NurbsCurve::try_new(KnotVector::bezier(curve.degree()), &points, None);
        let piece = piece.map(|c| c.over(Domain::new(d.end, d.end + by)));
        if let Some(longer) = piece.ok().and_then(|piece| appended(curve, &piece)) {
            return longer;
        }
    }
    let mut by = margin / speed;
    for _ in 0..8 {
        if let Some(longer) = with_end_at(curve, d.end + by) {
            return longer;
        }
        by *= 0.5;
    }
    curve.clone()
}

/// A curve followed by another one of its degree that begins where it ends, in space and by its parameter.
fn appended(first: &NurbsCurve, second: &NurbsCurve) -> Option<NurbsCurve> {
    let p = first.degree();
    let mut knots = first.knots().knots().to_vec();
    knots.pop();
    knots.extend_from_slice(&second.knots().knots()[p + 1..]);
    let mut points = first.homogeneous().to_vec();
    let share = points[points.len() - 1].w / second.homogeneous()[0].w;
    points.extend(second.homogeneous()[1..].iter().map(|h| h * share));
    NurbsCurve::from_homogeneous(KnotVector::try_new(p, knots).ok()?, points).ok()
}
