"""Faces changed on random solids (taken away again, raised, swapped), judged by volumes and sampled distances, which share no code
with the product.

Use: measure_edits.py PROGRAM [--seed N] [--count N] [--kinds removed,raised,swapped,spanned] [--families a,b] [--keep FOLDER]
It takes minutes and is run by hand, as `measure_walls.py` is, whose tools it takes.

What was put onto a solid (fillets, chamfers, a region, another body) and is taken away by Remove faces has to leave the solid as
it was. A raised region has to hold what is above the inside of its outline, up to its height, and nothing else. A face
swapped for another surface has to leave what is below that. A fillet that spans the flat of a chamfered edge has to be that of
the sharp edge, which `measure_fillets.py` judges.
"""

import argparse
import math
import random
import tempfile
from pathlib import Path

import igl
import numpy as np
from measure_fillets import FAMILIES, outline, ring
from measure_walls import Built, distances, inside, of, step
from scipy.spatial import cKDTree
from shapely import Point, Polygon, contains_xy

CHORD = 0.01
PLACES = 20000
SLACK = 0.03


def renamed(steps, name):
    return [*steps[:-1], {**steps[-1], "id": name, "name": name}]


def topology(made, name):
    return next(t for t in made.topology if t["step"] == name)


def same(source, made, rng):
    """What differs between two solids that have to be the same."""
    if not made.mesh.is_watertight:
        return "mesh open"
    if abs(made.volume - source.volume) > 2e-5 * source.volume + 1e-3:
        return f"volume {made.volume:.4f} instead of {source.volume:.4f}"
    off = max(distances(made.mesh.vertices, source.mesh).max(), distances(source.mesh.vertices, made.mesh).max())
    return f"{off:.3f} mm off" if off > 3 * CHORD else ""


class Removed:
    """Something put onto a solid and taken away again."""

    def __init__(self, rng):
        self.how = rng.choice(["fillet", "fillet", "chamfer", "boss", "bore", "region"])
        self.size = round(rng.choice([0.3, 0.6, 1, 1.5]), 3)

    def put(self, rng, source, steps):
        if self.how in ("fillet", "chamfer"):
            edges = [e["name"] for e in topology(source, "base")["edges"] if e["faces"] == 2]
            edges = rng.sample(edges, min(len(edges), rng.choice([1, 1, 2, 3, 30])))
            size = {"radius": self.size} if self.how == "fillet" else {"distance": self.size}
            return [step("on", self.how, edges=[of("base", e) for e in edges], **size)], self.how
        faces = [f for f in topology(source, "base")["faces"] if f["kind"] == "plane"]
        if not faces:
            return None, None
        face = rng.choice(faces)
        x, y, z = face["at"]
        plane = "xy yz xz".split()[[2, 0, 1].index(int(np.argmax(np.abs(face["normal"]))))]
        at = {"xy": [x, y], "yz": [y, z], "xz": [x, z]}[plane]
        level = {"xy": z, "yz": x, "xz": -y}[plane]
        size = 0.25 * math.sqrt(face["area_mm2"])
        points = [[round(at[0] + a, 3), round(at[1] + b, 3)] for a, b in ring(rng, rng.randint(3, 6), size)]
        drawn = outline("drawn", points, plane, rounding=rng.choice([0, round(0.2 * size, 3)]))
        if self.how == "region":
            goes, draft = rng.choice(["lifted", "sunk"]), rng.choice([0, 10])
            raised = step("on", "raised_region", face=of("base", face["name"]), outline=of("drawn"), height=self.size, goes=goes)
            raised["make"]["raised_region"]["draft"] = f"{draft} deg"
            return [drawn, raised], "region"
        out = 1 if np.dot(face["normal"], {"xy": [0, 0, 1], "yz": [1, 0, 0], "xz": [0, -1, 0]}[plane]) > 0 else -1
        deep = rng.uniform(0.05, 0.3) * math.sqrt(face["area_mm2"])
        ahead, back = (level + 4, deep - level) if out > 0 else (level + deep, 4 - level)
        tool = step("tool", "extrude", profile=of("drawn"), length=round(ahead, 3), back=round(back, 3))
        if self.how == "boss":
            return [drawn, tool, step("on", "combine", solids=[of("base"), of("tool")])], "tool"
        made = step("on", "combine", what="subtract", solids=[of("base")], others=[of("tool")])
        return [drawn, tool, made], "tool"


def is_of(name, what, base):
    if what == "tool":
        return name not in base
    return what in name


def removed(program, folder, name, steps, source, rng, tally):
    kind = Removed(rng)
    more, what = kind.put(rng, source, steps)
    if more is None:
        return
    on = Built(program, steps + more, folder, name + "_on", chord=CHORD, topology=True)
    if on.mesh is None or not on.mesh.is_watertight or not any(t["step"] == "on" for t in on.topology):
        return
    base = {f["name"] for f in topology(source, "base")["faces"]}
    gone = [f["name"] for f in topology(on, "on")["faces"] if is_of(f["name"], what, base)]
    if not gone:
        return
    tally["asked"] += 1
    off = step("off", "remove_faces", faces=[of("on", f) for f in gone])
    made = Built(program, [*steps, *more, off], folder, name + "_off", chord=CHORD)
    about = f"{name} {kind.how} {kind.size} ({len(gone)} faces)"
    told(about, made, same(source, made, rng) if made.mesh is not None else "", tally)


def told(about, made, wrong, tally):
    if made.seconds > 10:
        tally["slow"] += 1
    if made.mesh is None:
        print(f"   {about}: {made.seconds:.1f} s: {made.error[:230]}", flush=True)
    elif wrong:
        tally["wrong"] += 1
        print(f"   {about}: WRONG {wrong}", flush=True)
    else:
        tally["built"] += 1


def raised(program, folder, name, steps, source, rng, tally):
    faces = topology(source, "base")["faces"]
    face = rng.choice(faces)
    axis = int(np.argmax(np.abs(face["normal"])))
    plane, pick = [("yz", [1, 2]), ("xz", [0, 2]), ("xy", [0, 1])][axis]
    at = [face["at"][k] for k in pick]
    size = rng.uniform(0.1, 0.35) * math.sqrt(face["area_mm2"])
    points = [[round(at[0] + a, 3), round(at[1] + b, 3)] for a, b in ring(rng, rng.randint(3, 8), size, rng.choice([0.15, 0.35]))]
    height = round(rng.choice([0.2, 0.5, 1, 2]) * rng.choice([1, 0.3, 2]), 3)
    goes, draft = rng.choice(["lifted", "sunk"]), rng.choice([0, 0, 5, 20, -10])
    rounding = rng.choice([0, round(0.15 * size, 3)])
    # Drawn at the level of the face; to the left of the plane through x and z is where y is less.
    level = round(face["at"][axis], 3)
    drawn = outline("drawn", points, plane, -level if plane == "xz" else level, rounding)
    own = {"draft": f"{draft} deg"}
    on = step("on", "raised_region", face=of("base", face["name"]), outline=of("drawn"), height=height, goes=goes, **own)
    about = f"{name} on {face['name']} ({face['kind']}) {goes} {height} {draft} deg {'rounded' if rounding else ''}"
    if not Polygon(points).is_valid:
        return
    made = Built(program, [*steps, drawn, on], folder, name, chord=CHORD)
    region = Region(source.mesh, Polygon(points), axis, pick, face["at"][axis], height, goes == "lifted", draft)
    if made.mesh is None and not region.lies_within(face):
        tally["over"] = tally.get("over", 0) + 1
        return
    tally["asked"] += 1
    told(about, made, region.judge(made, rounding) if made.mesh is not None else "", tally)


def corner_room(rounding):
    return rounding + 2 * SLACK


class Region:
    """What a region over an outline has to hold, by heights over the skin along the drawing's normal."""

    def __init__(self, mesh, shape, axis, pick, level, height, lifted, draft):
        self.mesh, self.shape, self.axis, self.pick = mesh, shape, axis, pick
        self.level, self.height, self.lifted = level, height, lifted
        self.draft = math.radians(draft)
        self.places = np.array([shape.exterior.interpolate(s, normalized=True).coords[0] for s in np.linspace(0, 1, 240)])
        self.feet = self.skin(self.places)

    def skin(self, places):
        """The levels of the skin over places: of several the one nearest to the drawing, with its normal."""
        start = np.zeros((len(places), 3))
        start[:, self.pick] = places
        start[:, self.axis] = -500
        way = np.zeros_like(start)
        way[:, self.axis] = 1
        hits, ray, tri = self.mesh.ray.intersects_location(start, way, multiple_hits=True)
        best = np.full((len(places), 2), np.nan)
        for hit, k, t in zip(hits, ray, tri):
            z, n = hit[self.axis], self.mesh.face_normals[t][self.axis]
            if np.isnan(best[k, 0]) or abs(z - self.level) < abs(best[k, 0] - self.level):
                best[k] = z, n
        return best

    def lies_within(self, face):
        """Whether the outline meets the skin on one side all round, without a step."""
        z, n = self.feet.T
        if np.isnan(z).any() or (np.abs(n) < 0.1).any() or len(set(np.sign(n))) != 1:
            return False
        steps = np.abs(np.diff(z)) / np.linalg.norm(np.diff(self.places, axis=0), axis=1)
        return steps.max() < 12 and np.sign(n[0]) == np.sign(face["normal"][self.axis])

    def judge(self, made, rounding):
        if not made.mesh.is_watertight:
            return "mesh open"
        if np.isnan(self.feet).any():
            return ""
        rng = np.random.default_rng(1)
        side = np.sign(self.feet[0, 1]) * (1 if self.lifted else -1)
        x0, y0, x1, y1 = self.shape.buffer(self.height).bounds
        z0, z1 = self.feet[:, 0].min() - 2 * self.height, self.feet[:, 0].max() + 2 * self.height
        points = np.empty((PLACES, 3))
        points[:, self.pick[0]] = x0 + (x1 - x0) * rng.random(PLACES)
        points[:, self.pick[1]] = y0 + (y1 - y0) * rng.random(PLACES)
        points[:, self.axis] = z0 + (z1 - z0) * rng.random(PLACES)
        was, now = inside(points, self.mesh), inside(points, made.mesh)
        away = distances(points, self.mesh)
        changed = now != was
        if (changed & (now != self.lifted) & (away > SLACK)).any():
            return "changed the other way"
        if (changed & (away > self.height / 0.5 + SLACK)).any():
            return f"{(changed & (away > self.height / 0.5 + SLACK)).sum()} places too far"
        # How far within the outline, above 0 inside, and how much higher than the nearest place of it.
        flat = points[:, self.pick]
        tree = cKDTree(self.places)
        _, near = tree.query(flat, k=24)
        off = np.array([self.shape.exterior.distance(Point(p)) for p in flat])
        off = np.where(contains_xy(self.shape, flat[:, 0], flat[:, 1]), off, -off)
        rise = (points[:, [self.axis]] - self.feet[near, 0]) * side
        allowed = np.linalg.norm(flat[:, None] - self.places[near], axis=2) * np.sign(off)[:, None]
        lean = math.tan(self.draft)
        # At corners that turn in, planes go on beyond what is nearest.
        beside = np.zeros(PLACES, bool)
        corners = np.array(self.shape.exterior.coords[:-1])
        before, after = np.roll(corners, 1, axis=0), np.roll(corners, -1, axis=0)
        (ax, ay), (bx, by) = (corners - before).T, (after - corners).T
        turns = (ax * by - ay * bx) * (1 if self.shape.exterior.is_ccw else -1)
        if lean > 0 and (turns < 0).any():
            beside = cKDTree(corners[turns < 0]).query(flat)[0] < 3 * lean * self.height + corner_room(rounding)
        if lean > 0:
            within = (allowed - lean * rise).min(axis=1)
        else:
            within = off - lean * rise[:, 0]
        free = was != self.lifted
        corner = rounding + 0.05 * self.height + SLACK
        must = free & ~beside & (away < self.height - SLACK) & (away > SLACK) & (within > corner) & (off > corner)
        if self.draft >= 0 and (must & ~changed).any():
            return f"{(must & ~changed).sum()} of {must.sum()} places missing"
        never = changed & (away > SLACK) & (within < -corner - (0 if lean >= 0 else 0.6 * abs(lean) * self.height))
        if never.any():
            return f"{never.sum()} of {changed.sum()} places beside it"
        if (changed & (away > self.height + SLACK)).mean() > 0.2 * changed.mean():
            return "much of it too high"
        return ""


def swapped(program, folder, name, steps, source, rng, tally):
    """The upper end of a solid swapped for a wavy surface."""
    faces = [f for f in topology(source, "base")["faces"] if abs(f["normal"][2]) > 0.95]
    if not faces:
        return
    face = rng.choice(faces)
    up = face["normal"][2] > 0
    level = face["at"][2]
    low, high = source.mesh.bounds
    kind = rng.choice(["wavy", "slanted", "dome"])
    move = rng.uniform(-0.3, 0.4) * (high[2] - low[2]) * (1 if up else -1)
    a = rng.uniform(20, 40)
    if kind == "wavy":
        lift = [[rng.uniform(-2, 2) for _ in range(4)] for _ in range(3)]
    elif kind == "slanted":
        s, t = rng.uniform(-0.2, 0.2), rng.uniform(-0.2, 0.2)
        lift = [[s * a * (k - 1) + t * a * (2 * j / 3 - 1) for j in range(4)] for k in range(3)]
    else:
        r = rng.uniform(2, 6)
        lift = [[r * (1 - (k - 1) ** 2) * (1 - (2 * j / 3 - 1) ** 2) for j in range(4)] for k in range(3)]
    more = []
    for k, lifts in enumerate(lift):
        where = [[round(a * (k - 1), 3), round(2 * a * j / 3 - a, 3), round(level + move + z, 3)] for j, z in enumerate(lifts)]
        more.append(step(f"rib{k}", "space_curve", points=where))
    more.append(step("lid", "loft", sections=[of(f"rib{k}") for k in range(3)]))
    on = step("on", "swap_face", face=of("base", face["name"]), by=of("lid"))
    made = Built(program, [*steps, *more, on], folder, name, chord=CHORD)
    tally["asked"] += 1
    wrong = ""
    if made.mesh is not None:
        wrong = judge_swapped(source, made, level, move, up)
    told(f"{name} {kind} {face['name']} moved by {move:.2f} of {high[2] - low[2]:.1f}", made, wrong, tally)


def judge_swapped(source, made, level, move, up):
    if not made.mesh.is_watertight:
        return "mesh open"
    low, high = source.mesh.bounds
    rng = np.random.default_rng(1)
    points = low + (high - low) * rng.random((PLACES, 3))
    # What is far from the end on the other side has to stay.
    gap = 7 + 0.25 * 40
    far = points[:, 2] < level + min(move, 0) - gap if up else points[:, 2] > level + max(move, 0) + gap
    clear = distances(points, source.mesh) > SLACK
    was, now = inside(points, source.mesh), inside(points, made.mesh)
    if (far & clear & (was != now)).any():
        return f"{(far & clear & (was != now)).sum()} places away from it changed"
    if abs(made.mesh.volume - made.volume) > 0.005 * made.volume:
        return f"volume {made.volume:.1f}, mesh {made.mesh.volume:.1f}"
    return ""


def spanned(program, folder, name, steps, source, rng, tally):
    """An edge cut off, and its two faces filleted over the flat: as the sharp edge rounded."""
    edges = [e for e in topology(source, "base")["edges"] if e["faces"] == 2 and " | " in e["name"] and "#" not in e["name"]]
    if not edges:
        return
    edge = rng.choice(edges)
    first, second = edge["name"].removeprefix("edge ").split(" | ")
    flat = round(rng.choice([0.3, 0.6, 1]), 3)
    radius = round(flat * rng.uniform(2, 5), 3)
    cut = step("cut", "chamfer", edges=[of("base", edge["name"])], distance=flat)
    rounded = step("on", "fillet", edges=[of("base", edge["name"])], radius=radius)
    sharp = Built(program, [*steps, rounded], folder, name + "_sharp", chord=CHORD)
    if sharp.mesh is None or first == second:
        return
    tally["asked"] += 1
    for side in ("inside", "outside"):
        faces = {"first": of("cut", f"face {first}"), "second": of("cut", f"face {second}")}
        on = step("on", "surface_fillet", **faces, first_side=side, second_side=side, radius=radius)
        made = Built(program, [*steps, cut, on], folder, f"{name}_{side}", chord=CHORD)
        if made.mesh is not None:
            break
    told(f"{name} {edge['name']} flat {flat} radius {radius}", made, same(sharp, made, rng) if made.mesh is not None else "", tally)


KINDS = {"removed": removed, "raised": raised, "swapped": swapped, "spanned": spanned}


def main():
    words = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    words.add_argument("program")
    words.add_argument("--seed", type=int, default=1)
    words.add_argument("--count", type=int, default=6)
    words.add_argument("--kinds", default=",".join(KINDS))
    words.add_argument("--families", default="prism,frustum,pyramid,facets,joined,turned,curved,lofted,wavy,hollowed")
    words.add_argument("--keep", default="")
    asked = words.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        folder = Path(asked.keep or folder)
        folder.mkdir(parents=True, exist_ok=True)
        for kind in asked.kinds.split(","):
            for family in asked.families.split(","):
                tally = dict.fromkeys(["asked", "built", "wrong", "slow"], 0)
                for n in range(asked.seed, asked.seed + asked.count):
                    rng = random.Random(f"{kind} {family} {n}")
                    name = f"{kind}_{family}_{n}"
                    steps = renamed(FAMILIES[family](rng), "base")
                    source = Built(asked.program, steps, folder, name + "_base", chord=CHORD, topology=True)
                    if source.mesh is None or not source.mesh.is_watertight:
                        continue
                    KINDS[kind](asked.program, folder, name, steps, source, rng, tally)
                print(
                    f"== {kind} {family}: {tally['built']} of {tally['asked']} built, {tally['wrong']} wrong, {tally['slow']} over 10 s",
                    flush=True,
                )


if __name__ == "__main__":
    main()
