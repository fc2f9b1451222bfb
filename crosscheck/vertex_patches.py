"""Corners of four and more rounded edges where no ball touches all faces, against a published construction.

Use: vertex_patches.py PROGRAM [--seed N] [--count N]
It takes a minute and is run by hand; besides what requirements.txt names it needs trimesh and libigl from PyPI.

What bounds such a corner is known without the product: cylinders about the edges' balls and the faces' planes. The borders of the
product's patch are checked to lie on those, its normals there to be theirs; and its inside is compared with the transfinite patch
over the same borders and normals of Kato ("Generation of n-sided surface patches with holes", CAD 23 (10), 1991; the formula from
memory): ribbons blended by the inverse squares of the distances to the sides of a regular polygon, which is tangent all around
too, and whose ribbons may leave their sides at any speed. The two are not one surface (0.02 to 0.22 of the radius apart when this was
written, most below 0.1); that they agree so far says that the product's has no pit, bulge or fold of its own.
"""

import argparse
import random
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import trimesh
from measure_walls import Built, distances, of, step

CHORD = 0.01
# Shares of the radius: how far borders may be off what bounds them, and the inside from the other construction.
ON_BORDER = 2e-3
INSIDE = 0.3
# Angle in degrees between normals at the border.
TANGENT = 1.0


def unit(v):
    return v / np.linalg.norm(v, axis=-1, keepdims=True)


def pyramid(rng):
    count = rng.randint(4, 6)
    turns = [2 * np.pi * (k + rng.uniform(-0.25, 0.25)) / count for k in range(count)]
    base = [[round(20 * rng.uniform(0.8, 1.3) * f(t), 4) for f in (np.cos, np.sin)] for t in turns]
    return base, [round(rng.uniform(-5, 5), 3), round(rng.uniform(-5, 5), 3), round(rng.uniform(10, 30), 3)]


def built(program, folder, base, apex, radius):
    steps = [
        step("o", "drawing", plane="xy", curves=[{"id": "c", "kind": "polyline", "points": base, "closed": True}]),
        step("t", "point", x=apex[0], y=apex[1], z=apex[2]),
        step("b", "loft", sections=[of("o"), of("t")]),
    ]
    source = Built(program, steps, folder, "source", chord=0.1, topology=True)
    edges = [of("b", e["name"]) for e in source.topology[-1]["edges"] if e["at"][2] > 1]
    steps.append(step("f", "fillet", edges=edges, radius=radius))
    made = Built(program, steps, folder, "made", chord=0.1, topology=True)
    if made.error:
        return made.error
    shown = folder / "made.glb"
    asked = [program, "build", str(folder / "made.json"), "--export", str(shown), "--chord", str(CHORD * radius)]
    subprocess.run(asked, check=True, capture_output=True)
    parts = list(trimesh.load(shown, process=False).geometry.values())
    splines = [k for k, f in enumerate(made.topology[-1]["faces"]) if f["kind"] == "spline"]
    if len(splines) != 1:
        return f"{len(splines)} patches"
    # As the part stands, in millimetres: what turns it into metres, y up, is the scene's.
    patch = parts[splines[0]]
    return patch, np.asarray(patch.vertex_normals)


def bounding(base, apex, radius):
    """Distances of places from, and normals there of, all planes and cylinders at the apex, in order around it."""
    apex, n = np.array(apex), len(base)
    feet = np.array([[*p, 0.0] for p in base])
    planes = [unit(np.cross(feet[(k + 1) % n] - feet[k], apex - feet[k])) for k in range(n)]
    out = []
    for k in range(n):
        before, after, along = planes[k - 1], planes[k], unit(feet[k] - apex)
        # The ball's centre is a radius below both faces.
        middle = apex - radius * (before + after) / (1 + before @ after)
        from_axis = lambda p, middle=middle, along=along: (p - middle) - np.outer((p - middle) @ along, along)
        out.append((lambda p, f=from_axis: np.linalg.norm(f(p), axis=1) - radius, lambda p, f=from_axis: unit(f(p))))
        out.append((lambda p, n=after: (p - apex) @ n, lambda p, n=after: np.tile(n, (len(p), 1))))
    return out


def border(mesh):
    edges = mesh.edges_sorted
    once = trimesh.grouping.group_rows(edges, require_count=1)
    after = {a: b for a, b in mesh.edges[once]}
    run = [next(iter(after))]
    while after[run[-1]] != run[0]:
        run.append(after[run[-1]])
    return run


def sides(points, bounds):
    """How far the border is off what bounds it, and its parts in order, each with the number of its bound; corners are on two."""
    off = np.abs(np.stack([distance(points) for distance, _ in bounds]))
    count = len(bounds)
    corners = [int(np.maximum(off[k - 1], off[k]).argmin()) for k in range(count)]
    around = [(c - corners[0]) % len(points) for c in corners]
    if sorted(set(around)) != around:
        # Bounds go round the other way than the border.
        corners = corners[:1] + corners[:0:-1]
        numbers = list(range(count))[::-1]
        around = [(c - corners[0]) % len(points) for c in corners]
    else:
        numbers = list(range(count))
    parts = []
    for k in range(count):
        end = around[k + 1] if k + 1 < count else len(points)
        run = np.array([(corners[0] + m) % len(points) for m in range(around[k], end + 1)])
        parts.append((numbers[k], run))
    worst = max(off[number, run].max() for number, run in parts)
    return worst, parts


class Ribbon:
    def __init__(self, points, normals, middle):
        apart = np.linalg.norm(np.diff(points, axis=0), axis=1)
        kept = np.concatenate([[True], apart > 1e-9])
        points, normals = points[kept], normals[kept]
        length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
        self.share, self.points, self.normals = length / length[-1], points, normals
        tangent = unit(np.gradient(points, length, axis=0, edge_order=1))
        self.into = unit(np.cross(normals, tangent))
        self.reach = np.linalg.norm(points.mean(axis=0) - middle)

    def at(self, s, d, speed):
        along = lambda values: np.stack([np.interp(s, self.share, values[:, k]) for k in range(3)], axis=1)
        return along(self.points) + (d * speed * self.reach)[:, None] * unit(along(self.into))


def kato(ribbons, speed, places=40):
    n = len(ribbons)
    turns = 2 * np.pi * np.arange(n) / n
    corners = np.stack([np.cos(turns), np.sin(turns)], axis=1)
    x = np.linspace(-1, 1, places)
    grid = np.stack(np.meshgrid(x, x), axis=-1).reshape(-1, 2)
    d = []
    for k in range(n):
        a, b = corners[k], corners[(k + 1) % n]
        inward = np.array([-(b - a)[1], (b - a)[0]]) / np.linalg.norm(b - a)
        d.append((grid - a) @ inward / np.cos(np.pi / n))
    d = np.stack(d)
    d = d[:, (d > 1e-3).all(axis=0)]
    weights = d**-2 / (d**-2).sum(axis=0)
    out = np.zeros((d.shape[1], 3))
    for k, ribbon in enumerate(ribbons):
        before, after = d[k - 1], d[(k + 1) % n]
        out += weights[k][:, None] * ribbon.at(before / (before + after), d[k], speed)
    return out


def judged(program, folder, rng):
    base, apex = pyramid(rng)
    radius = round(rng.uniform(0.5, 3), 3)
    made = built(program, folder, base, apex, radius)
    if isinstance(made, str):
        return made
    mesh, normals = made
    run = border(mesh)
    points = mesh.vertices[run]
    bounds = bounding(base, apex, radius)
    off, parts = sides(points, bounds)
    worst, ribbons = 0.0, []
    for number, part in parts:
        true = bounds[number][1](points[part])
        own = unit(normals[np.array(run)[part]])
        worst = max(worst, np.degrees(np.arccos(np.clip((true * own).sum(axis=1), -1, 1))).max())
        ribbons.append(Ribbon(points[part], true, points.mean(axis=0)))
    # How fast ribbons leave their sides is free: none of them to nearly as far as the middle.
    apart = min(distances(kato(ribbons, speed), mesh).max() for speed in np.linspace(0, 1, 11))
    return len(base), len(parts), off / radius, worst, apart / radius


def main():
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("program")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--count", type=int, default=20)
    asked = parser.parse_args()
    bad = 0
    with tempfile.TemporaryDirectory() as folder:
        for k in range(asked.count):
            found = judged(asked.program, Path(folder), random.Random(asked.seed * 1000 + k))
            if isinstance(found, str):
                print(f"{k}: {found[:120]}")
                continue
            edges, count, off, angle, apart = found
            wrong = off > ON_BORDER or angle > TANGENT or apart > INSIDE or count != 2 * edges
            bad += wrong
            told = f"borders off by {off:.1e}, normals by {angle:.2f} degrees, inside apart by {apart:.3f} of the radius"
            print(f"{k}: {edges} edges, {count} sides: {told}{' WRONG' if wrong else ''}")
    print(f"{bad} wrong of {asked.count}")
    raise SystemExit(bad > 0)


if __name__ == "__main__":
    main()
