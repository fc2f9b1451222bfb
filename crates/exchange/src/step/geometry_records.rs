//! Curves and surfaces as records of ISO 10303-42.

use geometry::{KnotVector, NurbsCurve, NurbsSurface, Point3, Vector3, as_line, as_plane_arc};

use super::records::{Id, Records, list, real};

const EXACT: f64 = 1e-9;

/// Multiplicities and distinct values.
fn knots(knots: &KnotVector) -> (String, String) {
    let distinct = knots.distinct();
    let counts: Vec<usize> = distinct.iter().map(|d| d.1).collect();
    let values: Vec<String> = distinct.iter().map(|d| real(d.0)).collect();
    (list(&counts), list(&values))
}

fn reals(values: impl Iterator<Item = f64>) -> String {
    list(&values.map(real).collect::<Vec<_>>())
}

pub(super) fn curve(r: &mut Records, curve: &NurbsCurve) -> Id {
    if let Some((start, end)) = as_line(curve, EXACT) {
        let (point, direction) = (r.point(&start), r.direction(&(end - start).normalize()));
        let vector = r.value(format!("VECTOR('',{direction},1.)"));
        return r.add(format!("LINE('',{point},{vector})"));
    }
    let size = curve.start().coords.norm() + 1.0;
    if let Some((frame, radius, _)) = as_plane_arc(curve, EXACT * size) {
        let place = r.placement(&frame.origin, &frame.z, &frame.x);
        return r.add(format!("CIRCLE('',{place},{})", real(radius)));
    }
    let points: Vec<Id> = curve.control_points().iter().map(|p| r.point(p)).collect();
    let (degree, points) = (curve.degree(), list(&points));
    let (counts, values) = knots(curve.knots());
    if !curve.is_rational() {
        return r.add(format!(
            "B_SPLINE_CURVE_WITH_KNOTS('',{degree},{points},.UNSPECIFIED.,.U.,.F.,{counts},{values},.UNSPECIFIED.)"
        ));
    }
    let weights = reals(curve.weights().into_iter());
    // Partial records of a complex instance stand in alphabetical order.
    r.add(format!(
        "(BOUNDED_CURVE()B_SPLINE_CURVE({degree},{points},.UNSPECIFIED.,.U.,.F.)B_SPLINE_CURVE_WITH_KNOTS({counts},{values},.UNSPECIFIED.)CURVE()GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_CURVE({weights})REPRESENTATION_ITEM(''))"
    ))
}

pub(super) fn surface(r: &mut Records, surface: &NurbsSurface) -> Id {
    if let Some((origin, normal, x)) = plane(surface) {
        let place = r.placement(&origin, &normal, &x);
        return r.add(format!("PLANE('',{place})"));
    }
    let columns = surface.knots_v().point_count();
    let points: Vec<Id> = surface.control_points().iter().map(|p| r.point(p)).collect();
    let net = list(&points.chunks(columns).map(list).collect::<Vec<_>>());
    let (p, q) = (surface.knots_u().degree(), surface.knots_v().degree());
    let (counts_u, values_u) = knots(surface.knots_u());
    let (counts_v, values_v) = knots(surface.knots_v());
    if !surface.is_rational() {
        return r.add(format!(
            "B_SPLINE_SURFACE_WITH_KNOTS('',{p},{q},{net},.UNSPECIFIED.,.U.,.U.,.F.,{counts_u},{counts_v},{values_u},{values_v},.UNSPECIFIED.)"
        ));
    }
    let weights: Vec<String> =
        surface.homogeneous().chunks(columns).map(|row| reals(row.iter().map(|h| h.w))).collect();
    let weights = list(&weights);
    r.add(format!(
        "(BOUNDED_SURFACE()B_SPLINE_SURFACE({p},{q},{net},.UNSPECIFIED.,.U.,.U.,.F.)B_SPLINE_SURFACE_WITH_KNOTS({counts_u},{counts_v},{values_u},{values_v},.UNSPECIFIED.)GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE({weights})REPRESENTATION_ITEM('')SURFACE())"
    ))
}

/// Origin, normal (along the surface's own) and x direction of a surface whose net is flat.
fn plane(surface: &NurbsSurface) -> Option<(Point3, Vector3, Vector3)> {
    let (u, v) = surface.domain();
    let d = surface.derivatives(u.at(0.5), v.at(0.5));
    let normal = d.area_vector().try_normalize(1e-12)?;
    let points = surface.control_points();
    let size = points.iter().map(|p| (p - d.point).norm()).fold(0.0, f64::max);
    let flat = points.iter().all(|p| (p - d.point).dot(&normal).abs() <= 1e-10 * size);
    flat.then(|| (d.point, normal, d.u.normalize()))
}
