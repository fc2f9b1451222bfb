//! Shells, faces, loops, edges and vertices as records of ISO 10303-42 and -511.

use topology::{Face, Shell};

use super::geometry_records::{curve, surface};
use super::records::{Id, Records, list, text};

pub(super) fn closed_shell(r: &mut Records, shell: &Shell) -> Id {
    let faces = faces(r, shell);
    r.add(format!("CLOSED_SHELL('',{})", list(&faces)))
}

pub(super) fn open_shell(r: &mut Records, shell: &Shell) -> Id {
    let faces = faces(r, shell);
    r.add(format!("OPEN_SHELL('',{})", list(&faces)))
}

fn faces(r: &mut Records, shell: &Shell) -> Vec<Id> {
    let vertices: Vec<Id> = shell
        .vertices()
        .iter()
        .map(|v| {
            let point = r.point(&v.point);
            r.add(format!("VERTEX_POINT('',{point})"))
        })
        .collect();
    // Poles have no record: the loop runs on through their vertex.
    let edges: Vec<Option<Id>> = shell
        .edges()
        .iter()
        .map(|e| {
            let geometry = curve(r, e.curve.as_ref()?);
            let (start, end) = (vertices[e.start.index()], vertices[e.end.index()]);
            Some(r.add(format!("EDGE_CURVE('',{start},{end},{geometry},.T.)")))
        })
        .collect();
    shell.faces().iter().map(|f| face(r, f, &edges)).collect()
}

fn logical(value: bool) -> &'static str {
    if value { ".T." } else { ".F." }
}

fn face(r: &mut Records, face: &Face, edges: &[Option<Id>]) -> Id {
    let mut bounds = Vec::with_capacity(face.loops.len());
    for (i, l) in face.loops.iter().enumerate() {
        let uses: Vec<Id> = l
            .edges
            .iter()
            .filter_map(|used| {
                let edge = edges[used.edge.index()]?;
                Some(r.add(format!("ORIENTED_EDGE('',*,*,{edge},{})", logical(used.forward))))
            })
            .collect();
        let l = r.add(format!("EDGE_LOOP('',{})", list(&uses)));
        // Our loops run round the surface's normal; a bound runs round the face's.
        let kind = if i == 0 { "FACE_OUTER_BOUND" } else { "FACE_BOUND" };
        bounds.push(r.add(format!("{kind}('',{l},{})", logical(!face.reversed))));
    }
    let (geometry, same_normal) = surface(r, &face.surface);
    let (name, sense) = (text(&face.role), logical(face.reversed != same_normal));
    r.add(format!("ADVANCED_FACE({name},{},{geometry},{sense})", list(&bounds)))
}
