//! Curves and surfaces as records of ISO 10303-42.

use geometry::{Elementary, KnotVector, NurbsCurve, NurbsSurface, as_line, as_plane_arc};

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

/// The record of a surface, and whether its normal is the one of `surface`.
pub(super) fn surface(r: &mut Records, surface: &NurbsSurface) -> (Id, bool) {
    let size = surface.control_points().iter().map(|p| p.coords.norm()).fold(0.0, f64::max);
    match Elementary::of(surface, EXACT * (1.0 + size)) {
        Some((elementary, same)) => (self::elementary(r, &elementary), same),
        None => (b_spline_surface(r, surface), true),
    }
}

fn elementary(r: &mut Records, surface: &Elementary) -> Id {
    let frame = surface.frame();
    let place = r.placement(&frame.origin, &frame.z, &frame.x);
    let record = match *surface {
        Elementary::Plane(_) => format!("PLANE('',{place})"),
        Elementary::Cylinder { radius, .. } => format!("CYLINDRICAL_SURFACE('',{place},{})", real(radius)),
        Elementary::Cone { radius, half_angle, .. } => {
            format!("CONICAL_SURFACE('',{place},{},{})", real(radius), real(half_angle))
        }
        Elementary::Sphere { radius, .. } => format!("SPHERICAL_SURFACE('',{place},{})", real(radius)),
        Elementary::Torus { major, minor, .. } => {
            format!("TOROIDAL_SURFACE('',{place},{},{})", real(major), real(minor))
        }
    };
    r.add(record)
}

fn b_spline_surface(r: &mut Records, surface: &NurbsSurface) -> Id {
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
