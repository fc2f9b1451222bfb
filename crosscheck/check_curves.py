"""Curve tools against other spline libraries: geomdl and splipy (evaluation, interpolation), scipy (splines, quadrature).

Use: check_curves.py PROGRAM. Each test builds a recipe and compares the figures that its report gives.
"""

import json
import math
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import splipy
from geomdl import NURBS, fitting, utilities
from scipy.integrate import quad
from scipy.interpolate import BSpline, CubicSpline, make_interp_spline
from scipy.special import ellipe

PROGRAM = sys.argv[1]
POINTS = [[0, 0], [12, 9], [25, 7], [31, 20], [44, 22], [52, 11], [60, 0]]


def reached(steps, step, version=1):
    """The figures of one step of a recipe, by their labels."""
    recipe = {"format": "kindred-shell-recipe", "version": version, "name": "Check", "steps": steps}
    with tempfile.TemporaryDirectory() as folder:
        file, report = Path(folder) / "recipe.json", Path(folder) / "report.json"
        file.write_text(json.dumps(recipe))
        done = subprocess.run([PROGRAM, "build", str(file), "--report", str(report)], capture_output=True, text=True)
        if done.returncode:
            raise AssertionError(done.stderr)
        found = next(s for s in json.loads(report.read_text())["steps"] if s["step"] == step)
    return {r["label"]: r["value"] for r in found["reached"]}


def step(name, kind, **make):
    return {"id": name, "name": name, "make": {kind: make}}


def drawing(name, kind, points, plane="xy", **more):
    curve = {"id": "c", "kind": kind, "points": points, **more}
    return step(name, "drawing", plane=plane, curves=[curve])


def integral(speed, breaks):
    """An integral over smooth pieces, each to full precision."""
    return sum(quad(speed, a, b, epsabs=0, epsrel=1e-12, limit=200)[0] for a, b in zip(breaks, breaks[1:]))


def spline_length(spline):
    slope = spline.derivative()
    return integral(lambda t: float(np.linalg.norm(slope(t))), np.unique(spline.t))


def through(points):
    """geomdl's chord-length interpolant (The NURBS Book, section 9.2.1) as a scipy spline."""
    curve = fitting.interpolate_curve([list(map(float, p)) for p in points], min(3, len(points) - 1))
    return BSpline(np.array(curve.knotvector), np.array(curve.ctrlpts), curve.degree)


SPACINGS = {"centripetal": 0.5, "chord": 1.0, "even": 0.0}


def places(points, spacing):
    """Parameters of points by a power of the distances between them."""
    steps = [float(np.linalg.norm(np.subtract(b, a))) ** SPACINGS[spacing] for a, b in zip(points, points[1:])]
    return np.concatenate([[0], np.cumsum(steps)]) / sum(steps)


def cubic_length(spline):
    slope = spline.derivative()
    return integral(lambda t: float(np.linalg.norm(slope(t))), spline.x)


class Curves(unittest.TestCase):
    def test_curves_with_knots_at_their_points_are_the_other_library_s(self):
        points = np.array(POINTS, dtype=float)
        for spacing in SPACINGS:
            with self.subTest(spacing=spacing):
                # Closed: periodic to the second derivative.
                closed = drawing("d", "through_points", POINTS, spacing=spacing, closed=True)
                ring = np.vstack([points, points[:1]])
                spline = CubicSpline(places(ring, spacing), ring, bc_type="periodic")
                self.assertAlmostEqual(reached([closed], "d", 3)["Length of c"], cubic_length(spline), delta=1e-8)
                # Open: at either end the derivative of the parabola through three points.
                t = places(points, spacing)
                first = CubicSpline(t[:3], points[:3]).derivative()(t[0])
                last = CubicSpline(t[-3:], points[-3:]).derivative()(t[-1])
                spline = CubicSpline(t, points, bc_type=((1, first), (1, last)))
                opened = drawing("d", "through_points", POINTS, spacing=spacing)
                self.assertAlmostEqual(reached([opened], "d", 3)["Length of c"], cubic_length(spline), delta=1e-8)

    def test_an_end_with_tangent_and_curvature_is_the_other_library_s(self):
        # On from a circle of radius 20: a fourth knot, midway in the first step, holds its curvature.
        points = [[0, 20, 0], [30, 26, 5], [48, 3, 12], [70, 10, 0]]
        arc = drawing("a", "arc", [[-20, 0], [-20 * math.sqrt(0.5), 20 * math.sqrt(0.5)], [0, 20]])
        curve = step("s", "space_curve", points=points, start_along={"step": "a"}, start_agrees="curvature")
        figures = reached([arc, curve], "s", 3)
        t = places(points, "centripetal")
        data = np.array(points, dtype=float)
        free = CubicSpline(t[:3], data[:3]).derivative()(t[0])
        last = CubicSpline(t[-3:], data[-3:]).derivative()(t[-1])
        speed = float(np.linalg.norm(free))
        knots = np.concatenate([[0] * 4, [t[1] / 2], t[1:-1], [1] * 4])
        order = lambda k, at: np.array([BSpline(knots, row, 3).derivative(k)(at) for row in np.eye(len(knots) - 4)])
        system = np.vstack([*[order(0, x) for x in t], order(1, 0.0), order(2, 0.0), order(1, 1.0)])
        right = np.vstack([data, [speed, 0, 0], [0, -speed * speed / 20, 0], last])
        spline = BSpline(knots, np.linalg.solve(system, right), 3)
        self.assertAlmostEqual(figures["Length of curve"], spline_length(spline), delta=1e-7)

    def test_a_through_point_curve_is_the_other_library_s(self):
        length = reached([drawing("d", "through_points", POINTS)], "d")["Length of c"]
        self.assertAlmostEqual(length, spline_length(through(POINTS)), delta=1e-8)

    def test_a_weighted_control_point_curve_is_the_other_library_s(self):
        weights = [1, 2, 0.5, 3, 1, 1.5, 1]
        length = reached([drawing("d", "control_points", POINTS, weights=weights)], "d")["Length of c"]
        curve = NURBS.Curve()
        curve.degree = 3
        curve.ctrlpts = [[float(x), float(y)] for x, y in POINTS]
        curve.weights = weights
        curve.knotvector = utilities.generate_knot_vector(3, len(POINTS))
        speed = lambda t: float(np.linalg.norm(curve.derivatives(t, 1)[1]))
        self.assertAlmostEqual(length, integral(speed, sorted(set(curve.knotvector))), delta=1e-8)

    def test_a_space_curve_has_the_other_library_s_smallest_radius(self):
        points = [[0, 0, 0], [14, 3, 9], [25, 20, 12], [30, 38, 4], [52, 41, -6], [60, 60, 0]]
        figures = reached([step("s", "space_curve", points=points)], "s")
        spline = through(points)
        self.assertAlmostEqual(figures["Length of curve"], spline_length(spline), delta=1e-8)
        basis = splipy.BSplineBasis(order=4, knots=list(spline.t))
        curve = splipy.Curve(basis, spline.c)
        bends = curve.curvature(np.linspace(0, 1, 40001))
        # Ours is found on 401 places.
        self.assertAlmostEqual(figures["Smallest radius"], 1 / bends.max(), delta=2e-3 / bends.max())

    def test_an_end_that_goes_on_from_a_line_is_the_clamped_interpolant(self):
        points = [[0, 0, 0], [14, 3, 9], [25, 20, 12], [30, 38, 4]]
        tail = step("tail", "space_curve", points=[[-10, 0, 0], [0, 0, 0]])
        # A pull that gives the first derivative 80 along x, whatever the free curve's own was.
        free = through(points)
        pull = 80 / float(np.linalg.norm(free.derivative()(0.0)))
        curve = step("s", "space_curve", points=points, start_along={"step": "tail"}, start_pull=pull)
        length = reached([tail, curve], "s")["Length of curve"]
        chords = np.cumsum([0] + [float(np.linalg.norm(np.subtract(b, a))) for a, b in zip(points, points[1:])])
        t = chords / chords[-1]
        # One derivative at the start: equation 9.8 with that parameter counted twice.
        places = np.concatenate([[0], t])
        inner = [places[j : j + 3].mean() for j in range(1, len(places) - 3)]
        knots = np.concatenate([[0] * 4, inner, [1] * 4])
        rows = [BSpline.design_matrix(t, knots, 3).toarray()]
        slope = np.array([BSpline(knots, row, 3).derivative()(0.0) for row in np.eye(len(points) + 1)])
        system = np.vstack([*rows, slope])
        control = np.linalg.solve(system, np.vstack([np.array(points, dtype=float), [80, 0, 0]]))
        self.assertAlmostEqual(length, spline_length(BSpline(knots, control, 3)), delta=1e-7)

    def test_ellipses_and_offsets_have_their_lengths(self):
        # NIST DLMF 19.30(i): 4 a E(m), m = 1 - b^2 / a^2.
        ellipse = drawing("d", "ellipse", [[0, 0]], values={"radius_x": 30, "radius_y": 12})
        whole = 4 * 30 * ellipe(1 - (12 / 30) ** 2)
        self.assertAlmostEqual(reached([ellipse], "d")["Length of c"], whole, delta=1e-8)
        # Steiner: a closed convex curve moved outwards by d is longer by 2 pi d.
        grown = json.loads(json.dumps(ellipse))
        grown["make"]["drawing"]["changes"] = [{"change": "offset", "curve": "c", "distance": -2, "id": "o"}]
        figures = reached([grown], "d")
        outer = max(v for k, v in figures.items() if k.startswith("Length of"))
        self.assertAlmostEqual(outer, whole + 4 * math.pi, delta=0.02)

    def test_a_crossed_projection_has_the_length_of_both_views_together(self):
        # Front x = f(z), side y = g(z) as cubics in z: the length is the integral of sqrt(f'^2 + g'^2 + 1).
        heights = np.linspace(0, 40, 6)
        f, g = [0, 6, 9, 4, -3, 0], [0, -4, 2, 8, 5, 1]
        front = drawing("front", "through_points", [[x, z] for x, z in zip(f, heights)], plane="xz")
        side = drawing("side", "through_points", [[y, z] for y, z in zip(g, heights)], plane="yz")
        crossed = step("x", "crossed_projection", first={"step": "front"}, second={"step": "side"})
        figures = reached([front, side, crossed], "x")
        length = sum(v for k, v in figures.items() if k.startswith("Length"))
        views = [through(list(zip(v, heights))) for v in (f, g)]

        def at(view, z):
            low, high = 0.0, 1.0
            for _ in range(60):
                middle = (low + high) / 2
                low, high = (middle, high) if view(middle)[1] < z else (low, middle)
            return low

        def speed(z):
            slopes = [view.derivative()(at(view, z)) for view in views]
            return math.sqrt(sum((s[0] / s[1]) ** 2 for s in slopes) + 1)

        breaks = sorted({0.0, 40.0, *(float(view(t)[1]) for view in views for t in np.unique(view.t))})
        expected = sum(quad(speed, a, b, epsrel=1e-10)[0] for a, b in zip(breaks, breaks[1:]))
        self.assertAlmostEqual(length, expected, delta=2e-3)

    def test_a_curve_on_a_surface_is_the_surface_of_the_curve(self):
        # A cone from radius 20 at z = 0 to 8 at z = 30 turned about z, its first parameter round in four quarters.
        outline = drawing("d", "through_points", [[20, 0], [8, 30]], plane="xz")
        cone = step("cone", "revolve", profile={"step": "d"})
        places = [[0.05, 0.1], [0.2, 0.5], [0.3, 0.8], [0.45, 0.3]]
        curve = step("on", "curve_on_surface", surface={"step": "cone"}, places=places)
        figures = reached([outline, cone, curve], "on")
        quarter = NURBS.Curve()
        quarter.degree = 2
        corners = [[1, 0], [1, 1], [0, 1], [-1, 1], [-1, 0], [-1, -1], [0, -1], [1, -1], [1, 0]]
        quarter.ctrlpts = [[float(x), float(y)] for x, y in corners]
        quarter.weights = [1, math.sqrt(0.5)] * 4 + [1]
        quarter.knotvector = [0, 0, 0, 0.25, 0.25, 0.5, 0.5, 0.75, 0.75, 1, 1, 1]

        def space(u, v):
            x, y = quarter.evaluate_single(u)
            radius = 20 - 12 * v
            return np.array([radius * x, radius * y, 30 * v])

        points = np.array([space(u, v) for u, v in places])
        chords = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
        flat = make_interp_spline(chords / chords[-1], np.array(places), k=3)
        t = np.linspace(0, 1, 60001)
        line = np.array([space(*np.clip(flat(s), 0, 1)) for s in t])
        length = float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum())
        self.assertAlmostEqual(figures["Length of curve"], length, delta=5e-3)
        self.assertLessEqual(figures["Deviation reached"], 1e-3)


if __name__ == "__main__":
    outcome = unittest.main(argv=["crosscheck"], exit=False, verbosity=2).result
    failed = len(outcome.failures) + len(outcome.errors)
    print(f"crosscheck: {outcome.testsRun - failed} passed, {failed} failed")
    sys.exit(bool(failed))
