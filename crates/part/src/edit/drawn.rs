//! What edits do to drawn curves and their points.

use std::collections::BTreeMap;

use geometry::{NurbsCurve, Point2, Tolerance};

use super::{RecastForm, Reshape, no_point, no_target, step_mut};
use crate::limits::{MOST_INSERTED, MOST_RECAST};
use crate::steps::drawing::{Change, Drawing, DrawnCurve, DrawnPoint};
use crate::steps::{Context, Make};
use crate::{Amount, Recipe, RecipeError};

pub(super) fn drawing_mut<'a>(recipe: &'a mut Recipe, id: &str) -> Result<&'a mut Drawing, RecipeError> {
    match &mut step_mut(recipe, id)?.make {
        Make::Drawing(drawing) => Ok(drawing),
        _ => Err(no_target("drawing", id, [])),
    }
}

pub(super) fn curve_mut<'a>(
    recipe: &'a mut Recipe,
    step: &str,
    id: &str,
) -> Result<&'a mut DrawnCurve, RecipeError> {
    let drawing = drawing_mut(recipe, step)?;
    match drawing.curves.iter().position(|c| c.id == id) {
        Some(at) => Ok(&mut drawing.curves[at]),
        None => Err(no_target("curve", id, drawing.curves.iter().map(|c| c.id.as_str()))),
    }
}

pub(super) fn change_mut<'a>(
    recipe: &'a mut Recipe,
    step: &str,
    index: usize,
) -> Result<&'a mut Change, RecipeError> {
    let changes = &mut drawing_mut(recipe, step)?.changes;
    changes.get_mut(index).ok_or_else(|| no_target("change", &index.saturating_add(1).to_string(), []))
}

/// Refuses points that are not there or frozen.
pub(super) fn check_free(drawn: &DrawnCurve, points: &[usize]) -> Result<(), RecipeError> {
    for &i in points {
        if i >= drawn.points.len() {
            return Err(no_point(i));
        }
        if drawn.frozen.contains(&i) {
            let reason = format!("point {} is frozen; free it before it is changed", i + 1);
            return Err(RecipeError::Field { field: drawn.id.clone(), reason });
        }
    }
    Ok(())
}

/// Points of a drawn curve in millimetres; a pinned one where its pin was set.
pub(super) fn drawn_points(recipe: &mut Recipe, step: &str, curve: &str) -> Result<Vec<Point2>, RecipeError> {
    let scope = recipe.scope()?;
    let unit = recipe.unit;
    let value = |a: &Amount| crate::formula::evaluate(a, crate::Quantity::Length, unit, &scope);
    let drawn = curve_mut(recipe, step, curve)?;
    let point = |p: &DrawnPoint| match p {
        DrawnPoint::At([x, y]) => Ok(Point2::new(value(x)?, value(y)?)),
        DrawnPoint::Pinned(pin) => Ok(pin.near.map_or(Point2::origin(), Point2::from)),
    };
    drawn.points.iter().map(point).collect()
}

/// Moves points that are neither frozen nor pinned.
pub(super) fn move_points(
    recipe: &mut Recipe,
    step: &str,
    curve: &str,
    points: &[usize],
    to: &dyn Fn(usize, Point2) -> Point2,
) -> Result<(), RecipeError> {
    let all = drawn_points(recipe, step, curve)?;
    let unit = recipe.unit.millimetres();
    let drawn = curve_mut(recipe, step, curve)?;
    check_free(drawn, points)?;
    for &i in points {
        let p = to(i, all[i]);
        if !(p.x.is_finite() && p.y.is_finite()) {
            let reason = "its points would go to no finite place; check the factor".into();
            return Err(RecipeError::Field { field: curve.into(), reason });
        }
        if matches!(drawn.points[i], DrawnPoint::At(_)) {
            let tidy = |x: f64| Amount::Number((x / unit * 1e9).round() / 1e9 + 0.0);
            drawn.points[i] = [tidy(p.x), tidy(p.y)].into();
        }
    }
    Ok(())
}

/// A drawn spline in another form, with the deviation that it costs in millimetres.
pub(crate) fn reshaped(
    recipe: &Recipe,
    step: &str,
    curve: &str,
    to: &Reshape,
) -> Result<(NurbsCurve, f64), RecipeError> {
    let refuse = |reason: String| RecipeError::Field { field: curve.into(), reason };
    let Some(Make::Drawing(drawing)) = recipe.step(step).map(|s| &s.make) else {
        return Err(no_target("drawing", step, []));
    };
    let scope = recipe.scope()?;
    let inputs = BTreeMap::new();
    let (tolerance, step) = (Tolerance::default(), Some(step));
    let context = Context { recipe, scope: &scope, tolerance, inputs: &inputs, step, flip: false };
    let spline = drawing.drawn_piece(&context, curve).map_err(|notice| refuse(notice.message))?;
    let exact = |curve| Ok((curve, 0.0));
    match *to {
        Reshape::ControlPoints => exact(spline),
        Reshape::InsertKnots(each) => {
            let breaks = spline.knots().breaks();
            if each == 0 || breaks.len().saturating_mul(each) > MOST_INSERTED {
                return Err(refuse(format!(
                    "give 1 or more knots for each span, at most {MOST_INSERTED} in all"
                )));
            }
            let inner = breaks
                .windows(2)
                .flat_map(|w| (1..=each).map(move |k| w[0] + (w[1] - w[0]) * k as f64 / (each + 1) as f64));
            exact(inner.fold(spline.clone(), |curve, t| curve.with_knot(t)))
        }
        Reshape::RaiseDegree => exact(spline.elevated().map_err(|e| refuse(e.to_string()))?),
        Reshape::Recast(RecastForm { points, degree, ends }) => {
            if points > MOST_RECAST {
                return Err(refuse(format!("recast to at most {MOST_RECAST} points")));
            }
            let fitted =
                geometry::recast(&spline, degree, points, ends.into()).map_err(|e| refuse(e.to_string()))?;
            Ok((fitted.curve, fitted.max_deviation))
        }
    }
}

/// What recasting a drawn spline to another form would cost, in millimetres.
///
/// # Errors
/// No such curve, or numbers that do not fit together.
pub fn recast_deviation(
    recipe: &Recipe,
    step: &str,
    curve: &str,
    form: RecastForm,
) -> Result<f64, RecipeError> {
    reshaped(recipe, step, curve, &Reshape::Recast(form)).map(|r| r.1)
}
