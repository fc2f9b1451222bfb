"""Walls of random shells, judged by sampled distances (libigl on fine meshes), which share no code with the product.

Use: measure_walls.py PROGRAM [--seed N] [--count N] [--families a,b] [--walls 0.3,0.8] [--keep FOLDER]
It takes minutes and is run by hand; besides what requirements.txt names it needs libigl from PyPI.

Families: lofts of rounded polygons, turned splines, swept pipes, domes under patches, mirrored halves, networks; and sheets with
creases that end at borders not square to them: folded strips, open frusta, bent profiles cut off slanted, flanges. Each is built once as it is; then every wall is tried, inward and outward. A wall is counted where there is room for one: a ball larger
than it inside, or, for an open sheet, places of the offset that are at the wall's distance from the sheet.

A wall is wrong where a place nearer to the source than the wall is hollow, where the mesh is open, or where the hollow's skin
comes nearer to the source than the wall. That a place is solid farther away is right only beside corners, where walls are mitred,
and is counted.
"""

import argparse
import json
import math
import random
import subprocess
import tempfile
import time
from pathlib import Path

import igl
import numpy as np
import trimesh
from scipy.spatial import cKDTree

CHORD = 0.02
PLACES = 6000
# What meshes and the fit may miss, in millimetres.
SLACK = 0.06
# Share of the wall within which places beside a border are not looked at.
BORDER = 0.12


def step(name, kind, **make):
    return {"id": name, "name": name, "make": {kind: make}}


def of(name, item=None):
    return {"step": name} if item is None else {"step": name, "item": item}


def recipe(steps):
    return {"format": "kindred-shell-recipe", "version": 1, "name": "Measured", "parameters": [], "steps": steps}


def polygon(rng, name, size, height, corners, rounding):
    phase = rng.uniform(0, 6.28)
    points = []
    for k in range(corners):
        angle = phase + 2 * math.pi * (k + rng.uniform(-0.2, 0.2)) / corners
        radius = size * rng.uniform(0.8, 1.2)
        points.append([round(radius * math.cos(angle), 4), round(radius * math.sin(angle), 4)])
    drawing = {
        "plane": "xy",
        "offset": height,
        "curves": [{"id": "c", "kind": "polyline", "points": points, "closed": True}],
    }
    if rounding > 0:
        drawing["changes"] = [{"change": "fillet", "curve": "c", "radius": rounding}]
    return step(name, "drawing", **drawing)


def loft(rng):
    corners = rng.randint(3, 6)
    count = rng.randint(2, 3)
    rounding = rng.choice([0, 0.5, 1, 2, 4])
    steps, height = [], 0
    state = rng.getstate()
    for k in range(count):
        # All sections stand alike, so that the loft does not turn about itself.
        rng.setstate(state)
        size = rng.uniform(14, 22)
        made = polygon(rng, f"s{k}", size, height, corners, rounding)
        factor = 1 + 0.25 * math.sin(2.1 * k + corners)
        curve = made["make"]["drawing"]["curves"][0]
        curve["points"] = [[round(x * factor, 4), round(y * factor + 2 * k, 4)] for x, y in curve["points"]]
        steps.append(made)
        height += 15 + 10 * ((k * 7 + corners) % 3)
    steps.append(step("body", "loft", sections=[of(f"s{k}") for k in range(count)]))
    return steps, "solid"


def turned(rng):
    points, z = [[0, 0]], 0
    for _ in range(rng.randint(2, 4)):
        points.append([round(rng.uniform(8, 25), 3), round(z, 3)])
        z += rng.uniform(8, 20)
    points.append([0, round(z, 3)])
    if rng.random() < 0.5:
        curves = [{"id": "c", "kind": "polyline", "points": points}]
        changes = [{"change": "fillet", "curve": "c", "radius": rng.choice([0.5, 1, 2, 3])}]
    else:
        curves = [
            {"id": "a", "kind": "polyline", "points": points[:2]},
            {"id": "b", "kind": "through_points", "points": points[1:-1] + [[round(rng.uniform(3, 9), 3), round(z, 3)]]},
            {"id": "d", "kind": "polyline", "points": [None, points[-1]]},
        ]
        curves[2]["points"][0] = curves[1]["points"][-1]
        changes = []
    return [
        step("p", "drawing", plane="xz", curves=curves, changes=changes),
        step("body", "revolve", profile=of("p"), axis="z"),
    ], "solid"


def pipe(rng):
    points, here, heading = [[0, 0, 0]], np.zeros(3), np.array([1.0, 0, 0])
    for _ in range(rng.randint(2, 4)):
        here = here + heading * rng.uniform(25, 45)
        points.append([round(float(x), 3) for x in here])
        axis = np.array([rng.uniform(-1, 1) for _ in range(3)])
        side = axis - heading * axis.dot(heading)
        side /= np.linalg.norm(side)
        angle = math.radians(rng.uniform(20, 80))
        heading = heading * math.cos(angle) + side * math.sin(angle)
    radius = rng.uniform(4, 7)
    bend = radius * rng.uniform(1.15, 2.5)
    legs = list(zip(points, points[1:]))
    steps = [step(f"l{k}", "space_curve", points=[list(a), list(b)]) for k, (a, b) in enumerate(legs)]
    steps += [
        step("path", "joined_curve", curves=[of(f"l{k}") for k in range(len(legs))]),
        step(
            "body",
            "sweep",
            path=of("path"),
            carries="round",
            radius=round(radius, 3),
            corners="rounded",
            corner_radius=round(bend, 3),
        ),
    ]
    return steps, "solid"


def dome(rng):
    radius = rng.uniform(15, 25)
    count = rng.choice([3, 4, 5])
    steps = []
    base = rng.uniform(0, 6)
    corners = [
        [
            round(radius * math.cos(base + 2 * math.pi * (k + rng.uniform(-0.15, 0.15)) / count), 3),
            round(radius * math.sin(base + 2 * math.pi * (k + rng.uniform(-0.15, 0.15)) / count), 3),
            round(rng.uniform(-3, 3), 3),
        ]
        for k in range(count)
    ]
    for k in range(count):
        a, b = np.array(corners[k]), np.array(corners[(k + 1) % count])
        middle = (a + b) / 2
        out = middle.copy()
        out[2] = 0
        middle += out / np.linalg.norm(out) * rng.uniform(0, 4) + np.array([0, 0, rng.uniform(-2, 6)])
        points = [corners[k], [round(float(x), 3) for x in middle], corners[(k + 1) % count]]
        steps.append(step(f"e{k}", "space_curve", points=points))
    top = [0, 0, round(rng.uniform(6, 14), 3)]
    edges = [of(f"e{k}") for k in range(count)]
    steps.append(step("body", "patch", edges=edges, points=[top]))
    return steps, "sheet"


def capped_dome(rng):
    radius = rng.uniform(12, 25)
    width = rng.uniform(0.6, 1.4) * radius
    corner = rng.uniform(0.25, 0.9) * min(radius, width)
    points = [[-radius, -width], [radius, -width], [radius, width], [-radius, width]]
    outline = {
        "plane": "xy",
        "curves": [{"id": "c", "kind": "polyline", "points": points, "closed": True}],
        "changes": [{"change": "fillet", "curve": "c", "radius": round(corner, 3)}],
    }
    height = rng.uniform(5, 20)
    parts = rng.choice([["tangent"], ["position"]])
    steps = [
        step("o", "drawing", **outline),
        step("t", "extrude", profile=of("o"), length=round(height, 3), ends="open"),
        step("top", "drawing", **{**outline, "offset": round(height, 3)}),
        step("d", "patch", edges=[of("top")], points=[[0, 0, round(height + rng.uniform(2, 7), 3)]])
        if parts == ["position"]
        else step("d", "patch", edges=[of("t", f"edge {{o}} / c {k + 1}, u end") for k in range(8)], agrees=8 * parts),
        step("j", "joined_surface", surfaces=[of("t"), of("d")]),
        step("body", "cap", surface=of("j")),
    ]
    return steps, "solid"


def net(rng, name, rows, columns, agrees=None):
    size = rng.uniform(8, 14)
    height = rng.uniform(1, 5)
    wave = [rng.uniform(0.2, 0.8) for _ in range(4)]

    shifts = [
        [[rng.uniform(-1, 1), 0 if j == 0 else rng.uniform(-1, 1)] for j in range(columns)] for i in range(rows)
    ]
    def at(i, j):
        x, y = size * i, size * j
        bump = height * math.sin(wave[0] * i + wave[2] * 6) * math.cos(wave[1] * j + wave[3] * 6)
        lift = 0.12 * height * ((i * 3 + j * 5) % 4)
        return [round(x + shifts[i][j][0], 3), round(y + shifts[i][j][1], 3), round(bump + lift, 3)]

    steps = []
    for j in range(columns):
        steps.append(step(f"u{j}", "space_curve", points=[at(i, j) for i in range(rows)]))
    for i in range(rows):
        steps.append(step(f"v{i}", "space_curve", points=[at(i, j) for j in range(columns)]))
    made = {"first": [of(f"u{j}") for j in range(columns)], "second": [of(f"v{i}") for i in range(rows)]}
    if agrees:
        made["first_agrees"] = [agrees]
    steps.append(step(name, "network", **made))
    return steps


def network(rng):
    return net(rng, "body", rng.randint(2, 4), rng.randint(2, 4)), "sheet"


def mirrored(rng):
    agrees = rng.choice([None, "square"])
    steps = net(rng, "half", rng.randint(2, 3), rng.randint(2, 3) + (agrees is not None), agrees)
    if agrees is not None:
        # A side that has to have a plane: its curve bends.
        points = next(s for s in steps if s["id"] == "u0")["make"]["space_curve"]["points"]
        if len(points) < 3:
            steps[-1]["make"]["network"].pop("first_agrees")
    steps.append(step("other", "copy", of=of("half"), way="mirror", plane="xz"))
    steps.append(step("body", "joined_surface", surfaces=[of("half"), of("other")]))
    return steps, "sheet"


def folded(rng):
    """Strips of flat and twisted faces whose creases end at borders that are not square to them."""
    legs = rng.randint(2, 4)
    steps = []
    bends = [rng.uniform(-1.6, 1.6) for _ in range(legs)]
    lengths = [rng.uniform(12, 25) for _ in range(legs)]
    for k in range(2):
        here, heading = np.zeros(2), rng.uniform(-0.4, 0.4)
        points = [[0.0, 0.0]]
        for bend, length in zip(bends, lengths):
            here = here + length * rng.uniform(0.85, 1.15) * np.array([math.cos(heading), math.sin(heading)])
            points.append([round(float(x), 3) for x in here])
            heading += bend + rng.uniform(-0.1, 0.1)
        lean = [rng.uniform(-8, 8) if k else 0.0 for _ in points]
        curve = {"points": [[x, y, round(30 * k + z, 3)] for (x, y), z in zip(points, lean)]}
        ids = []
        for n, (a, b) in enumerate(zip(curve["points"], curve["points"][1:])):
            ids.append(f"s{k}{n}")
            steps.append(step(ids[-1], "space_curve", points=[a, b]))
        steps.append(step(f"s{k}", "joined_curve", curves=[of(i) for i in ids]))
    steps.append(step("body", "ruled", first=of("s0"), second=of("s1")))
    return steps, "sheet"


def funnel(rng):
    """Open frusta whose sides lean by unlike angles, twisted ones too."""
    corners = rng.randint(3, 6)
    state = rng.getstate()
    steps = []
    for k in range(2):
        rng.setstate(state)
        made = polygon(rng, f"s{k}", rng.uniform(14, 20), 25 * k, corners, 0)
        if k:
            twist = rng.choice([0, 0.3])
            curve = made["make"]["drawing"]["curves"][0]
            turned = [[x * math.cos(twist) - y * math.sin(twist), x * math.sin(twist) + y * math.cos(twist)] for x, y in curve["points"]]
            curve["points"] = [[round(1.2 * x + 2, 4), round(0.8 * y - 1, 4)] for x, y in turned]
        steps.append(made)
    steps.append(step("body", "loft", sections=[of("s0"), of("s1")], ends="open"))
    return steps, "sheet"


def slanted(rng):
    """Bent profiles, straight and curved pieces of them, drawn up and cut off by slanted planes at both ends."""
    here, heading = [0.0, 0.0], rng.uniform(-0.3, 0.3)
    curves = []
    for k in range(rng.randint(2, 4)):
        length = rng.uniform(12, 22)
        there = [round(here[0] + length * math.cos(heading), 3), round(here[1] + length * math.sin(heading), 3)]
        points = [here, there]
        bulge = rng.choice([0, 0, 1]) * rng.uniform(-0.15, 0.15) * length
        if bulge:
            middle = [(a + b) / 2 for a, b in zip(here, there)]
            points.insert(1, [round(middle[0] - bulge * math.sin(heading), 3), round(middle[1] + bulge * math.cos(heading), 3)])
        curves.append({"id": f"c{k}", "kind": "through_points" if bulge else "polyline", "points": points})
        here = there
        heading += rng.choice([-1, 1]) * rng.uniform(0.3, 1.5)
    steps = [
        step("p", "drawing", plane="xz", curves=curves),
        step("e", "extrude", profile=of("p"), length=30, back=30, ends="open"),
    ]
    name = "e"
    for k, side in enumerate([1, -1]):
        a, b = rng.uniform(-0.7, 0.7), rng.uniform(-0.7, 0.7)
        y = 15 * side
        points = [[0, y, 0], [10 * side, round(y + 10 * a, 3), 0], [0, round(y + 10 * b, 3), 10]]
        steps.append(step(f"q{k}", "plane", way="three_points", points=points))
        piece = f"{{{name}}}: in front of {{q{k}}}"
        last = f"t{k}" if side == 1 else "body"
        steps.append(step(last, "trim", surfaces=[of(name)], by=[of(f"q{k}")], chosen="kept", pieces=[piece]))
        name = last
    return steps, "sheet"


def flanged(rng):
    """Networks with a flange drawn up from one of their sides."""
    steps = net(rng, "net", rng.randint(2, 3), rng.randint(2, 4))
    way = [rng.uniform(-0.6, 0.6), rng.uniform(-0.9, -0.2), rng.choice([-1, 1])]
    length = rng.uniform(6, 12)
    last = [s for s in steps if s["id"] == "u0"][0]["make"]["space_curve"]["points"]
    far = [[round(x + length * w, 3) for x, w in zip(p, way)] for p in last]
    steps.append(step("far", "space_curve", points=far))
    steps.append(step("flange", "ruled", first=of("u0"), second=of("far")))
    steps.append(step("body", "joined_surface", surfaces=[of("net"), of("flange")]))
    return steps, "sheet"


FAMILIES = {
    "loft": loft,
    "turned": turned,
    "pipe": pipe,
    "dome": dome,
    "capped": capped_dome,
    "network": network,
    "mirrored": mirrored,
    "folded": folded,
    "funnel": funnel,
    "slanted": slanted,
    "flanged": flanged,
}
WALLS = [0.2, 0.4, 0.6, 0.8, 1, 1.3, 1.6, 2, 2.5, 3, 4, 5]


class Built:
    """A recipe that was built, with its mesh."""

    def __init__(self, program, steps, folder, name, ending="stl", chord=CHORD, limit=60, topology=False):
        file = folder / f"{name}.json"
        file.write_text(json.dumps(recipe(steps)))
        mesh, report = folder / f"{name}.{ending}", folder / f"{name}.report.json"
        names = folder / f"{name}.topology.json"
        for old in (mesh, report, names):
            old.unlink(missing_ok=True)
        begun = time.time()
        words = [program, "build", str(file), "--report", str(report), "--chord", str(chord)]
        if topology:
            words += ["--topology", str(names)]
        try:
            done = subprocess.run([*words, "--export", str(mesh)], capture_output=True, text=True, timeout=limit)
            told = [line for line in done.stderr.strip().splitlines() if ": warning: " not in line]
            self.error = told[0] if done.returncode else ""
        except subprocess.TimeoutExpired:
            self.error = f"not done after {limit} s"
        self.seconds = time.time() - begun
        self.report = json.loads(report.read_text()) if report.exists() else {}
        self.topology = json.loads(names.read_text()) if names.exists() else []
        self.mesh = trimesh.load(mesh, force="mesh") if mesh.exists() and not self.error else None
        if self.mesh is not None and ending == "glb":
            # glTF is in metres, with y upwards.
            x, y, z = self.mesh.vertices.T * 1000
            self.mesh = trimesh.Trimesh(np.column_stack([x, -z, y]), self.mesh.faces)

    @property
    def volume(self):
        return sum(b.get("volume_mm3") or 0 for b in self.report.get("bodies", []))


def distances(points, mesh):
    """Distance to the surface, without its sign."""
    squared = igl.point_mesh_squared_distance(points, mesh.vertices, mesh.faces.astype(np.int64))[0]
    return np.sqrt(squared)


def inside(points, mesh):
    return igl.fast_winding_number(mesh.vertices, mesh.faces.astype(np.int64), points) > 0.5


def places_in(mesh, count, rng):
    low, high = mesh.bounds
    points = low + (high - low) * rng.random((4 * count, 3))
    return points


def judge_hollow(source, made, wall, rng):
    """What is wrong with a hollow of a closed solid, and how many of its places are thicker than asked for."""
    if not made.mesh.is_watertight:
        return "mesh open", 0
    points = places_in(source, PLACES, rng)
    points = points[inside(points, source)]
    away = distances(points, source)
    solid = inside(points, made.mesh)
    thin = (~solid) & (away < wall - SLACK)
    if thin.any():
        return f"{thin.sum()} of {len(points)} places hollow, down to {away[thin].min():.3f}", 0
    thick = solid & (away > wall + SLACK)
    volume = made.mesh.volume
    if abs(volume - made.volume) > 0.005 * volume + 2 * CHORD * made.mesh.area:
        return f"volume {made.volume:.1f}, mesh {volume:.1f}", 0
    return "", thick.sum() / max(1, len(points))


def away_from_border(points, mesh):
    edges, counts = np.unique(mesh.edges_sorted, axis=0, return_counts=True)
    a, b = mesh.vertices[edges[counts == 1]].transpose(1, 0, 2)
    places = np.concatenate([a + (b - a) * s for s in np.linspace(0, 1, 9)[:-1]])
    return cKDTree(places).query(points)[0]


def judge_sheet(source, made, wall, rng):
    """The same of a sheet with a wall to one side."""
    if not made.mesh.is_watertight:
        return "mesh open", 0
    # Places off the sheet along its normals, where nothing of it is nearer.
    where, of_face = trimesh.sample.sample_surface(source, PLACES, seed=int(rng.integers(1 << 30)))
    normals = source.face_normals[of_face]
    share = rng.random(len(where))
    # Facets' normals lead beyond the wall's end along borders.
    border = away_from_border(where, source) > BORDER * wall + SLACK
    best = None
    for way in (1, -1):
        points = where + normals * (way * wall * share)[:, None]
        away = distances(points, source)
        own = np.abs(away - wall * share) < 1e-3
        near = own & border & (wall * share < wall - SLACK) & (wall * share > SLACK)
        missing = near & ~inside(points, made.mesh)
        beyond = where + normals * (way * (wall + SLACK + 0.3 * wall * share))[:, None]
        far = border & (np.abs(distances(beyond, source) - (wall + SLACK + 0.3 * wall * share)) < 1e-3)
        more = far & inside(beyond, made.mesh)
        found = (missing.sum(), more.sum(), near.sum())
        if best is None or found[0] < best[0]:
            best = found
    if best[0] > 0.002 * best[2]:
        return f"{best[0]} of {best[2]} places hollow", 0
    if made.mesh.volume < 0:
        return "negative volume", 0
    return "", best[1] / PLACES


def has_room(source, kind, wall, way, rng):
    if kind == "solid":
        if way == "out":
            return True
        points = places_in(source, 4 * PLACES, rng)
        points = points[inside(points, source)]
        return distances(points, source).max() > wall + SLACK
    where, of_face = trimesh.sample.sample_surface(source, 800, seed=1)
    sign = 1 if way == "out" else -1
    points = where + sign * source.face_normals[of_face] * wall
    return (distances(points, source) > wall - SLACK).mean() > 0.02


def judge_out(source, made, wall, rng):
    """A solid offset outward: all within the distance is in it."""
    if not made.mesh.is_watertight:
        return "mesh open", 0
    low, high = source.bounds[0] - 1.5 * wall, source.bounds[1] + 1.5 * wall
    points = low + (high - low) * rng.random((PLACES, 3))
    points = points[~inside(points, source)]
    away = distances(points, source)
    solid = inside(points, made.mesh)
    thin = (~solid) & (away < wall - SLACK)
    if thin.any():
        return f"{thin.sum()} of {len(points)} places not in it, down to {away[thin].min():.3f}", 0
    return "", (solid & (away > wall + SLACK)).sum() / max(1, len(points))


def main():
    words = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    words.add_argument("program")
    words.add_argument("--seed", type=int, default=1)
    words.add_argument("--count", type=int, default=4)
    words.add_argument("--families", default=",".join(FAMILIES))
    words.add_argument("--walls", default=",".join(map(str, WALLS)))
    words.add_argument("--ways", default="in,out")
    words.add_argument("--keep", default="")
    asked = words.parse_args()
    walls = [float(w) for w in asked.walls.split(",")]
    with tempfile.TemporaryDirectory() as folder:
        folder = Path(asked.keep or folder)
        folder.mkdir(parents=True, exist_ok=True)
        for family in asked.families.split(","):
            tally = {"built": 0, "room": 0, "wrong": 0, "slow": 0, "none": 0}
            for n in range(asked.count):
                seed = asked.seed + n
                measure(asked.program, folder, family, seed, walls, asked.ways.split(","), tally)
            share = 100 * tally["built"] / max(1, tally["room"])
            print(
                f"== {family}: {tally['built']} of {tally['room']} with room ({share:.1f} %), {tally['wrong']} wrong, "
                f"{tally['slow']} over 10 s, {tally['none']} without a source",
                flush=True,
            )


def measure(program, folder, family, seed, walls, ways, tally):
    steps, kind = FAMILIES[family](random.Random(f"{family} {seed}"))
    source = Built(program, steps, folder, f"{family}_{seed}", "glb" if kind == "sheet" else "stl")
    mesh = source.mesh
    if mesh is None:
        tally["none"] += 1
        print(f"   {family}_{seed}: no source: {source.error[:150]}", flush=True)
        return
    rng = np.random.default_rng(seed)
    for way in ways:
        for wall in walls:
            if not has_room(mesh, kind, wall, way, rng):
                continue
            tally["room"] += 1
            if kind == "sheet":
                side = "outward" if way == "out" else "inward"
                last = step("w", "thicken", surface=of("body"), thickness=wall, side=side)
                judge = judge_sheet
            elif way == "in":
                last, judge = step("w", "hollow", solid=of("body"), thickness=wall), judge_hollow
            else:
                last, judge = step("w", "offset", surface=of("body"), distance=wall), judge_out
            name = f"{family}_{seed}_{way}_{wall:g}"
            made = Built(program, steps + [last], folder, name)
            if made.seconds > 10:
                tally["slow"] += 1
            if made.mesh is None:
                print(f"   {name}: {made.seconds:.1f} s: {made.error[:200]}", flush=True)
                continue
            wrong, thick = judge(mesh, made, wall, rng)
            if wrong:
                tally["wrong"] += 1
                print(f"   {name}: WRONG {wrong}", flush=True)
                continue
            tally["built"] += 1
            if thick > 0.02:
                print(f"   {name}: built, {100 * thick:.1f} % of places thicker", flush=True)


if __name__ == "__main__":
    main()
