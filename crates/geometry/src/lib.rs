//! Rational B-spline curves and surfaces: evaluation, knots, interpolation, offset, crossings.
//!
//! Lengths are millimetres, angles radians, all numbers `f64`. Control points are kept in homogeneous form
//! `(w x, w y, w z, w)`. Every approximation takes a `tolerance` and returns the deviation that it reached.
//!
//! Methods follow Piegl & Tiller, *The NURBS Book*, 2nd edition, unless a module names another source.

mod approach;
mod arc;
mod banded;
mod bezier_pieces;
mod box_tree;
mod closest;
mod closest_on_surface;
mod comb;
mod compatible;
mod corner;
mod crossing;
mod curve_edit;
mod domain;
mod elementary;
mod error;
mod extend;
mod extend_surface;
mod facets;
mod fair;
mod fit;
mod fit_surface;
mod frame;
mod interpolate;
mod isoparametric;
mod knot_vector;
mod length;
mod meeting;
mod net_sum;
mod nurbs_curve;
mod nurbs_surface;
mod offset;
mod offset_surface;
mod parameter_lines;
mod patch;
mod plane_crossings;
mod polygon;
mod quadrature;
mod recast;
mod recognise;
mod skin;
mod steady;
mod surface_edit;
mod through;
mod tolerance;
mod work;
mod zeros;

pub use approach::{Approach, curves_approach, curves_approaches, curves_close_by};
pub use arc::{arc_segments, circle_arc};
pub use box_tree::{Box3, BoxTree, box_of, diagonal, distance_from_box, grown};
pub use closest::{ClosestOnCurve, closest_on_curve};
pub use closest_on_surface::{
    OnSurface, along_direction, closest_on_surface, closest_within, nearby_on_surface,
};
pub use comb::{Tooth, comb};
pub use compatible::{compatible, compatible_within};
pub use corner::{Corner, chamfer, fillet};
pub use crossing::{Crossing, crossings, flatten, self_crossing};
pub use domain::Domain;
pub use elementary::Elementary;
pub use error::GeometryError;
pub use extend::{extended, extended_to, with_end_at};
pub use extend_surface::{GoesOn, SurfaceSide, extended_beside_poles, extended_surface};
pub use facets::Facets;
pub use fair::{Demand, Fair, Fairness, Region};
pub use fit::{Fitted, fit_chain, fit_function, fit_functions, fit_points};
pub use fit_surface::{FittedSurface, fit_surface};
pub use frame::{Axis, Frame};
pub use interpolate::{
    EndDerivatives, centripetal_parameters, chord_parameters, interpolate, interpolate_ring,
    interpolate_ring_averaged, spline_of, through_points,
};
pub use knot_vector::{KnotVector, MAX_DEGREE};
pub use length::ArcLength;
pub use meeting::{
    CurveHit, CurveMeetings, MeetingCurve, MeetingPlace, SurfaceMeetings, Touch, TouchKind, curve_meetings,
    fit_meeting, meeting_beside, plane_meetings, surface_meetings,
};
pub use net_sum::weighted_sum;
pub use nurbs_curve::NurbsCurve;
pub use nurbs_surface::{NurbsSurface, SurfaceDerivatives};
pub use offset::{offset_in_plane, smallest_radius, tightest_bend};
pub use offset_surface::{offset_surface, parallel_surface, tightest_bend_of};
pub use parameter_lines::parameter_lines;
pub use plane_crossings::plane_crossings;
pub use polygon::{polygon_area, polygon_holds};
pub use quadrature::gauss_legendre;
pub use recast::{EndsKept, recast, recast_surface, recast_surface_along, recast_surfaces};
pub use recognise::{Ellipse, as_line, as_plane_arc, circle_through};
pub use skin::{Skin, SkinCourse, skin, skin_along, skin_through};
pub use through::{Spacing, Through};
pub use tolerance::Tolerance;
pub use work::{Budget, Cancel, Halt, Meter, Work, check_work, part_of_work, shared_work};
pub use zeros::{Foot, bisect, feet, sign_changes};

/// A point in space, in millimetres.
pub type Point3 = nalgebra::Point3<f64>;
/// A vector in space.
pub type Vector3 = nalgebra::Vector3<f64>;
/// A control point in homogeneous form, `(w x, w y, w z, w)`.
pub type Homogeneous = nalgebra::Vector4<f64>;
/// A point of a parameter or drawing plane.
pub type Point2 = nalgebra::Point2<f64>;
/// A vector of a parameter or drawing plane.
pub type Vector2 = nalgebra::Vector2<f64>;
