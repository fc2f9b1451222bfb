//! Where creases end at borders that are not square to them.

use geometry::Point3;

use super::Kind;
use super::nodes::{CLOSED, Diagonal, End, Nodes, ONE, Solver};
use super::parallel::{Carrier, crossing};
use super::web::Fan;

/// Where a face's border meets the face on the other side of a crease that ends there.
struct BorderEnd {
    point: Point3,
    /// The parameter on the image of the border.
    t: f64,
    /// Parameters on the fan's first and last face.
    uv: [[f64; 2]; 2],
}

impl Solver<'_> {
    /// A crease that ends at a border which is not square to it: each face's border meets the other face elsewhere, and the face on
    /// which that is farther out has the piece between for itself.
    pub(super) fn overhang(&self, fan: &Fan, out: &mut Nodes) -> Option<()> {
        let &[first, last] = &fan.corners[..] else { return None };
        let (crease, twin) = (first.coming, last.leaving);
        if fan.closed || self.web.kind(crease) != Kind::Sharp || self.web.twin(crease) != Some(twin) {
            return None;
        }
        let (start, end) = self.about_border(fan, 0).zip(self.about_border(fan, 1))?;
        let curve = self.web.shell().edge(self.web.halves.all[crease].edge).curve.as_ref()?;
        // The first face runs along the crease to the vertex.
        let d = curve.domain();
        let forward = self.web.halves.all[crease].forward;
        let along = curve.tangent(if forward { d.end } else { d.start })? * if forward { 1.0 } else { -1.0 };
        let over = (start.point - end.point).dot(&along);
        let first_is_longer = over > 0.0;
        let one = over.abs() <= CLOSED * self.tolerance.join;
        let mut number = |p: Point3| {
            out.points.push(p);
            out.points.len() - 1
        };
        // So little is closed over.
        let nodes = if one {
            [number(if first_is_longer { end.point } else { start.point }); 2]
        } else {
            [number(start.point), number(end.point)]
        };
        let shorter = if first_is_longer { (nodes[1], &end.uv) } else { (nodes[0], &start.uv) };
        let mut put = |half: usize, which: usize, node: usize, uv: [f64; 2], t: Option<f64>| {
            out.ends.entry(half).or_default()[which] = Some(End { node, uv, t });
        };
        put(first.leaving, 0, nodes[0], start.uv[0], Some(start.t));
        put(last.coming, 1, nodes[1], end.uv[1], Some(end.t));
        put(crease, 1, shorter.0, shorter.1[0], None);
        put(twin, 0, shorter.0, shorter.1[1], None);
        if one {
            return Some(());
        }
        // Along the loop of the longer face, which lies to its left: from where the last face's border ends to where the first's begins.
        let turned = |uv: [[f64; 2]; 2]| if first_is_longer { uv } else { [uv[1], uv[0]] };
        let faces = if first_is_longer { [first.face, last.face] } else { [last.face, first.face] };
        out.diagonals.push(Diagonal {
            faces,
            nodes: [nodes[1], nodes[0]],
            uv: [turned(end.uv), turned(start.uv)],
        });
        let number = out.diagonals.len() - 1;
        out.inserts.insert(if first_is_longer { crease } else { last.coming }, vec![(number, true)]);
        out.overhangs.push((number, self.web.shell().vertex(self.web.halves.origin(first.leaving)).point));
        Some(())
    }

    /// Where the border with which a crease's first or last face begins or ends meets the other one.
    fn about_border(&self, fan: &Fan, own: usize) -> Option<BorderEnd> {
        let (corner, begins) = (fan.corners[own], own == 0);
        let half = if begins { corner.leaving } else { corner.coming };
        let line = self.lines[half].as_ref()?;
        let d = self.web.used(half).pcurve.domain();
        let at_start = self.web.halves.all[half].forward == begins;
        let near = self.near_end(half, begins).and_then(|e| e.t);
        let from = [near.unwrap_or(if at_start { d.start } else { d.end }), 0.0];
        let other = &self.faces[fan.corners[1 - own].face];
        let carriers = [Carrier::Line(&self.faces[corner.face], line), Carrier::Face(other)];
        let tries = [from, self.start(fan, 1 - own)];
        let found = crossing(&carriers, &tries, ONE * self.tolerance.fit)?;
        let t = found.at[0][0];
        let (p, beyond) = (line.point(t), found.at[1]);
        let uv = if begins { [[p.x, p.y], beyond] } else { [beyond, [p.x, p.y]] };
        Some(BorderEnd { point: found.point, t, uv })
    }
}
