//! The way of a ball that touches a third face between the two supports, followed step by step.

use geometry::{
    Domain, EndDerivatives, NurbsCurve, OnSurface, Point3, Vector3, closest_on_surface, interpolate,
};
use topology::inner_place;

use super::spine::{End, FARTHER, MIDDLE, Piece, Rolled, Spine};
use crate::SurfacingError;
use crate::fillet::Round;
use crate::fillet::track::{Contact, Section, ball_of_three};
use crate::ground::Ground;

/// Steps on the way, per radius, and how often one is halved that finds no ball.
const STEPS: f64 = 5.0;
const HALVINGS: i32 = 10;
const MOST: usize = 2000;
/// Halvings with which the first ball is looked for, and doublings of the radius until one is too large.
const FIRST: usize = 40;
const LARGER: usize = 12;
/// Cosine of the angle between two steps below which they are too long for the planes square to the curve through them.
const AHEAD: f64 = 0.9988;
/// Distance in mm, per unit of scale, within which a way is straight.
const STRAIGHT: f64 = 1e-9;
/// Share of the radius over which the direction of the way is taken.
const BESIDE: f64 = 1e-4;

/// A ball on its way, with the direction in which it goes.
struct Step {
    section: Section,
    along: Vector3,
}

impl Rolled<'_, '_> {
    /// All pieces of the way along which a ball touches a face of either side and one in the middle.
    ///
    /// # Errors
    /// Those of the curves through its places.
    pub(super) fn full_pieces(&self) -> Result<Vec<Piece>, SurfacingError> {
        let mut out: Vec<Piece> = Vec::new();
        let mut known: Vec<[usize; 3]> = Vec::new();
        for middle in 0..self.touched[MIDDLE].len() {
            let Some((faces, from)) = self.first_ball(middle) else { continue };
            let mut next = vec![(faces, from)];
            while let Some((faces, from)) = next.pop() {
                if known.contains(&faces) {
                    continue;
                }
                known.push(faces);
                let Some(spine) = self.followed(faces, &from)? else { continue };
                for piece in self.parts(&spine) {
                    for end in 0..2 {
                        next.extend(self.across(faces, &piece, end));
                    }
                    out.extend(piece.between_seams(self.touched, self.tolerance));
                }
            }
        }
        Ok(out)
    }

    /// The faces on which a ball goes on where it leaves others over an edge, with the ball there.
    fn across(&self, mut faces: [usize; 3], piece: &Piece, end: usize) -> Option<([usize; 3], Step)> {
        let End { over, ts, .. } = piece.ends[end];
        if over == [None; 3] {
            return None;
        }
        let radius = self.radius;
        let track = piece.spine.track(self.touched, Round::Arc, Box::new(move |_| radius), false);
        let (mut section, along) = (track.section(ts[0])?, track.guide.tangent(ts[0])?);
        for k in 0..3 {
            let Some(face) = over[k] else { continue };
            faces[k] = face;
            let contact = section.contact(k)?;
            let foot = closest_on_surface(&self.touched[k][face].face.surface, &contact.point);
            let own = Contact { at: foot.parameters, point: foot.point };
            match k {
                MIDDLE => section.middle = Some(own),
                _ => section.contacts[k] = own,
            }
        }
        Some((faces, Step { section, along }))
    }

    /// The radius of such a ball about in the midst of what it rolls on.
    pub(super) fn full_radius(&self) -> Option<f64> {
        let first = (0..self.touched[MIDDLE].len()).find_map(|k| self.first_ball(k))?;
        let section = first.1.section;
        Some((section.contacts[0].point - section.centre).norm())
    }

    /// The smallest ball that touches a surface at a place, on the side of the normal, and a face of a support too: its radius, and
    /// the number of the face with the foot on it.
    pub(super) fn ball_at(
        &self,
        support: usize,
        point: &Point3,
        normal: &Vector3,
    ) -> Option<(f64, usize, OnSurface)> {
        let off = |radius: f64| {
            let centre = point + normal * radius;
            let feet = self.touched[support]
                .iter()
                .enumerate()
                .map(|(k, t)| (k, closest_on_surface(&t.face.surface, &centre)));
            let nearest = feet.min_by(|a, b| a.1.distance.total_cmp(&b.1.distance))?;
            Some((nearest.1.distance - radius, nearest))
        };
        let (mut low, mut high) = (0.0, off(0.0)?.0.max(self.tolerance.resolution));
        for _ in 0..LARGER {
            if off(high)?.0 <= 0.0 {
                break;
            }
            (low, high) = (high, 2.0 * high);
        }
        for _ in 0..FIRST {
            let radius = 0.5 * (low + high);
            *(if off(radius)?.0 > 0.0 { &mut low } else { &mut high }) = radius;
        }
        let (miss, (face, foot)) = off(high)?;
        (miss.abs() <= 1e-3 * high + 2.0 * self.tolerance.resolution).then_some((high, face, foot))
    }

    /// A ball that touches a face of the middle about in its midst, with the faces of either side.
    fn first_ball(&self, middle: usize) -> Option<([usize; 3], Step)> {
        let touched = &self.touched[MIDDLE][middle];
        let place = touched.ground.place(inner_place(touched.face)?)?;
        let ball = |side: usize, point: &Point3, normal: &Vector3| self.ball_at(side, point, normal);
        let (one, two) = (ball(0, &place.point, &place.normal)?, ball(1, &place.point, &place.normal)?);
        let across = two.2.point - one.2.point;
        let across = across - place.normal * place.normal.dot(&across);
        // Toward the side of which the ball is the larger one.
        let at = |share: f64| {
            let foot = closest_on_surface(&touched.ground.surface, &(place.point + across * share));
            let place = touched.ground.place(foot.parameters)?;
            let both = (ball(0, &place.point, &place.normal)?, ball(1, &place.point, &place.normal)?);
            Some((foot.parameters, both))
        };
        let (mut low, mut high) = (-1.0, 1.0);
        for _ in 0..FIRST {
            let share = 0.5 * (low + high);
            let (_, (one, two)) = at(share)?;
            *(if one.0 < two.0 { &mut low } else { &mut high }) = share;
        }
        let (own, (one, two)) = at(0.5 * (low + high))?;
        let place = touched.ground.place(own)?;
        let along = place.normal.cross(&across).try_normalize(f64::MIN_POSITIVE)?;
        let faces = [one.1, two.1, middle];
        let near = ([one.2.parameters, two.2.parameters, own], one.0);
        let section = ball_of_three(self.grounds(faces), (place.point + place.normal * one.0, along), near)?;
        Some((faces, Step { section, along }))
    }

    fn grounds(&self, faces: [usize; 3]) -> [&Ground; 3] {
        [0, 1, 2].map(|k| &self.touched[k][faces[k]].ground)
    }

    /// The centres of balls that touch three faces, from one of them on in both directions: round, or as far as there are some, if
    /// not far beyond the faces' borders.
    fn followed(&self, faces: [usize; 3], from: &Step) -> Result<Option<Spine>, SurfacingError> {
        let along = self.direction(faces, from).unwrap_or(from.along);
        let from = &Step { along, ..*from };
        let (ahead, closed) = self.walk(faces, from, false);
        let mut sections = Vec::new();
        if !closed {
            let (mut back, _) = self.walk(faces, from, true);
            back.reverse();
            sections = back;
        }
        sections.push(from.section);
        sections.extend(ahead);
        if sections.len() < 3 {
            return Ok(None);
        }
        let mut ts = vec![0.0];
        for pair in sections.windows(2) {
            ts.push(ts[ts.len() - 1] + (pair[1].centre - pair[0].centre).norm());
        }
        let places: Vec<Point3> = sections.iter().map(|s| s.centre).collect();
        let ends = if closed { EndDerivatives::tangents([along; 2]) } else { EndDerivatives::free() };
        let degree = 3.min(places.len() - 1);
        let chord = NurbsCurve::line(places[0], places[places.len() - 1]);
        let length = ts[ts.len() - 1];
        let off = |p: &Point3, t: &f64| (chord.point(t / length) - p).norm();
        // Between planes the way is straight, and then the strip along it may be exact.
        let straight = places.iter().zip(&ts).all(|(p, t)| off(p, t) <= STRAIGHT * (1.0 + p.coords.norm()));
        let curve = match straight {
            true => chord.over(Domain::new(0.0, length)),
            false => interpolate(&places, &ts, degree, &ends)?,
        };
        let feet = |k: usize| -> Result<NurbsCurve, SurfacingError> {
            let at = sections.iter().map(|s| s.contact(k).map_or([0.0; 2], |c| c.at));
            let places: Vec<Point3> = at.map(|[u, v]| Point3::new(u, v, 0.0)).collect();
            Ok(interpolate(&places, &ts, degree, &EndDerivatives::free())?)
        };
        let (feet, third) = ([feet(0)?, feet(1)?], feet(MIDDLE)?);
        Ok(Some(Spine {
            curve,
            feet,
            faces: [faces[0], faces[1]],
            middle: Some((faces[MIDDLE], third)),
            held: None,
        }))
    }

    /// The direction of the way at a ball on it.
    fn direction(&self, faces: [usize; 3], at: &Step) -> Option<Vector3> {
        let radius = (at.section.contacts[0].point - at.section.centre).norm();
        let near = [0, 1, MIDDLE].map(|k| at.section.contact(k).map_or([0.0; 2], |c| c.at));
        let beside = |by: f64| {
            let plane = (at.section.centre + at.along * (by * radius), at.along);
            ball_of_three(self.grounds(faces), plane, (near, radius)).map(|s| s.centre)
        };
        (beside(BESIDE)? - beside(-BESIDE)?).try_normalize(f64::MIN_POSITIVE)
    }

    /// The balls after one, in its direction or back, and whether they come round to it again.
    fn walk(&self, faces: [usize; 3], from: &Step, back: bool) -> (Vec<Section>, bool) {
        let grounds = self.grounds(faces);
        let mut out: Vec<Section> = Vec::new();
        let (mut here, mut along) = (from.section, if back { -from.along } else { from.along });
        let mut before: Option<Section> = None;
        let mut outside = 0.0;
        while out.len() < MOST {
            let radius = (here.contacts[0].point - here.centre).norm();
            let found = (0..HALVINGS).find_map(|k| {
                let step = radius / STEPS * 0.5_f64.powi(k);
                let near = |k: usize| {
                    let (own, was) = (here.contact(k)?.at, before.and_then(|b| b.contact(k)));
                    Some(match was {
                        Some(was) => [0, 1].map(|i| 2.0 * own[i] - was.at[i]),
                        None => grounds[k].moved(own, &(along * step)),
                    })
                };
                let plain = |k: usize| Some(here.contact(k)?.at);
                let plane = (here.centre + along * step, along);
                let guess = [near(0)?, near(1)?, near(2)?];
                let found = ball_of_three(grounds, plane, (guess, radius));
                let found = match found {
                    None => ball_of_three(grounds, plane, ([plain(0)?, plain(1)?, plain(2)?], radius)),
                    found => found,
                }?;
                let way = found.centre - here.centre;
                (way.normalize().dot(&along) > AHEAD).then_some(found)
            });
            let Some(next) = found else { break };
            let way = next.centre - here.centre;
            // Back at the first one, as far on as this step goes.
            let home = from.section.centre - here.centre;
            let ahead = home.dot(&way.normalize());
            if out.len() > 2
                && ahead > 0.0
                && ahead <= 1.5 * way.norm()
                && home.norm() <= 2.0 * way.norm()
                && from.along.dot(&along) > 0.0
            {
                out.push(on_turn_of(from.section, &here, grounds));
                return (out, true);
            }
            let within =
                (0..3).all(|k| next.contact(k).is_some_and(|c| self.touched[k][faces[k]].holds(c.at)));
            outside = if within { 0.0 } else { outside + way.norm() };
            if outside > FARTHER * radius {
                break;
            }
            along = way.normalize();
            (before, here) = (Some(here), next);
            out.push(next);
        }
        (out, false)
    }
}

/// A section with parameters on the turn of closed surfaces on which those of another one are.
fn on_turn_of(section: Section, beside: &Section, grounds: [&Ground; 3]) -> Section {
    let turned = |k: usize, own: Contact, beside: Contact| Contact {
        at: grounds[k].on_turn_of(own.at, beside.at),
        ..own
    };
    Section {
        contacts: [0, 1].map(|k| turned(k, section.contacts[k], beside.contacts[k])),
        middle: section.middle.zip(beside.middle).map(|(own, beside)| turned(MIDDLE, own, beside)),
        ..section
    }
}
