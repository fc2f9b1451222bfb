"""Fillets and chamfers on random edges of random solids, judged by balls and sampled distances, which share no code with the product.

Use: measure_fillets.py PROGRAM [--seed N] [--count N] [--families a,b] [--tries N] [--keep FOLDER] [--tell-all] [--shape fillet|chamfer]
[--radii 1|2|3]
It takes minutes and is run by hand, as `measure_walls.py` is, whose tools it takes.

Edges are found as the sharp ones of a fine mesh. At places of the chosen ones the ball is sought that touches the faces on
both sides (Newton's method on distances to their triangles). There is room where all those balls touch their faces within them
and touch nothing else; places as near to an edge's end as the fillet reaches are not asked, and what other fillets reach is not
free. What has less room is tried too, but counted apart.

A fillet is wrong where the mesh is open, where a chosen edge is not as far away as its ball leaves it, where what lies beyond
every fillet's reach has changed, or where the new skin, away from corners, does not lie on balls that touch the old one.
"""

import argparse
import itertools
import json
import math
import random
import tempfile
from pathlib import Path

import igl
import numpy as np
import trimesh
from measure_walls import Built, distances, inside, of, places_in, step
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components, dijkstra
from scipy.spatial import cKDTree

CHORD = 0.004
SHARP = 0.3
PLACES = 5000
SLACK = 0.03


def ring(rng, corners, size, spread=0.25):
    """Corners about the origin, in turn."""
    phase, points = rng.uniform(0, 6.28), []
    for k in range(corners):
        angle = phase + 2 * math.pi * (k + rng.uniform(-spread, spread)) / corners
        radius = size * rng.uniform(1 - spread, 1 + spread)
        points.append([round(radius * math.cos(angle), 4), round(radius * math.sin(angle), 4)])
    return points


def outline(name, points, plane="xy", offset=0, rounding=0):
    drawing = {"plane": plane, "offset": offset}
    drawing["curves"] = [{"id": "c", "kind": "polyline", "points": points, "closed": True}]
    if rounding:
        drawing["changes"] = [{"change": "fillet", "curve": "c", "radius": rounding}]
    return step(name, "drawing", **drawing)


def prism(rng):
    spread = rng.choice([0.15, 0.3, 0.45])
    steps = [outline("o", ring(rng, rng.randint(3, 8), 20, spread))]
    draft = rng.choice([0, 0, round(rng.uniform(-12, 12), 2)])
    return [*steps, step("body", "extrude", profile=of("o"), length=round(rng.uniform(8, 30), 3), draft=draft)]


def frustum(rng):
    corners = rng.randint(3, 6)
    points = ring(rng, corners, 20)
    factor, turn = rng.uniform(0.4, 1.3), math.radians(rng.choice([0, 0, rng.uniform(-15, 15)]))
    shift = [rng.uniform(-6, 6), rng.uniform(-6, 6)]
    other = [
        [
            round(factor * (x * math.cos(turn) - y * math.sin(turn)) + shift[0], 4),
            round(factor * (x * math.sin(turn) + y * math.cos(turn)) + shift[1], 4),
        ]
        for x, y in points
    ]
    height = round(rng.uniform(10, 30), 3)
    steps = [outline("a", points), outline("b", other, offset=height)]
    return [*steps, step("body", "loft", sections=[of("a"), of("b")])]


def pyramid(rng):
    points = ring(rng, rng.randint(3, 7), 20, rng.choice([0.1, 0.25]))
    apex = [round(rng.uniform(-5, 5), 3), round(rng.uniform(-5, 5), 3), round(rng.uniform(12, 40), 3)]
    steps = [outline("a", points), step("t", "point", x=apex[0], y=apex[1], z=apex[2])]
    return [*steps, step("body", "loft", sections=[of("a"), of("t")])]


def facets(rng):
    """A box cut off at slants, so that faces of all angles meet."""
    a, b, c = (round(rng.uniform(12, 20), 3) for _ in range(3))
    steps = [outline("o", [[-a, -b], [a, -b], [a, b], [-a, b]]), step("box", "extrude", profile=of("o"), length=c)]
    others = []
    for k, (plane, width) in enumerate([("xz", a), ("yz", b)][: rng.randint(1, 2)]):
        low, high = rng.uniform(-0.3, 0.8) * width, rng.uniform(0.2, 0.8) * c
        far = 3 * (a + b + c)
        slope = [width - low, high - c]
        points = [
            [round(low - slope[0] * 9, 4), round(c - slope[1] * 9, 4)],
            [round(width + slope[0] * 9, 4), round(high + slope[1] * 9, 4)],
            [round(far + 9 * width, 4), round(far + 9 * c, 4)],
        ]
        steps += [
            outline(f"k{k}", points, plane),
            step(f"cut{k}", "extrude", profile=of(f"k{k}"), length=60, back=60),
        ]
        others.append(of(f"cut{k}"))
    return [*steps, step("body", "combine", what="subtract", solids=[of("box")], others=others)]


def joined(rng):
    """A box with another box or a cylinder, added or taken away."""
    a, b, c = (round(rng.uniform(12, 20), 3) for _ in range(3))
    steps = [outline("o", [[-a, -b], [a, -b], [a, b], [-a, b]]), step("box", "extrude", profile=of("o"), length=c)]
    x, y, r = rng.uniform(-0.3, 0.3) * a, rng.uniform(-0.3, 0.3) * b, rng.uniform(0.25, 0.5) * min(a, b)
    if rng.random() < 0.3:
        # Over the border.
        x = a - rng.uniform(-0.3, 0.3) * r
    if rng.random() < 0.5:
        turn = rng.uniform(0, 1.5)
        points = [
            [round(x + 1.4 * r * math.cos(turn + k * math.pi / 2), 4), round(y + 1.4 * r * math.sin(turn + k * math.pi / 2), 4)]
            for k in range(4)
        ]
        steps.append(outline("p", points))
    else:
        curve = {"id": "c", "kind": "circle", "points": [[round(x, 4), round(y, 4)]], "values": {"radius": round(r, 4)}}
        steps.append(step("p", "drawing", plane="xy", curves=[curve]))
    if rng.random() < 0.5:
        steps.append(step("tool", "extrude", profile=of("p"), length=round(c + rng.uniform(4, 12), 3)))
        return [*steps, step("body", "combine", solids=[of("box"), of("tool")])]
    back = -round(rng.uniform(0.3, 0.7) * c, 3) if rng.random() < 0.5 else 5
    steps.append(step("tool", "extrude", profile=of("p"), length=c + 5, back=back))
    return [*steps, step("body", "combine", what="subtract", solids=[of("box")], others=[of("tool")])]


def turned(rng):
    points, z = [[0, 0]], 0
    for _ in range(rng.randint(2, 4)):
        points.append([round(rng.uniform(6, 25), 3), round(z, 3)])
        z += rng.uniform(5, 15)
    points.append([0, round(z - rng.choice([0, 3, -6]), 3)])
    curves = [{"id": "c", "kind": "polyline", "points": points}]
    return [
        step("p", "drawing", plane="xz", curves=curves),
        step("body", "revolve", profile=of("p"), axis="z"),
    ]


def curved(rng):
    """A closed outline of splines that meet at corners, drawn up."""
    corners = ring(rng, rng.randint(2, 5), 20, 0.15)
    curves = []
    for k, a in enumerate(corners):
        b = corners[(k + 1) % len(corners)]
        side = [b[1] - a[1], a[0] - b[0]]
        bow = rng.uniform(0.05, 0.25) if len(corners) > 2 else rng.uniform(0.15, 0.4)
        shares = [0.3, 0.7] if rng.random() < 0.5 else [0.5]
        between = [
            [round(p + (q - p) * s + bow * rng.uniform(0.7, 1.3) * w, 4) for p, q, w in zip(a, b, side)] for s in shares
        ]
        curves.append({"id": f"c{k}", "kind": "through_points", "points": [a, *between, b]})
    draft = rng.choice([0, 0, round(rng.uniform(-8, 8), 2)])
    return [
        step("o", "drawing", plane="xy", curves=curves),
        step("body", "extrude", profile=of("o"), length=round(rng.uniform(8, 25), 3), draft=draft),
    ]


def lofted(rng):
    corners, count = rng.randint(3, 5), rng.randint(2, 3)
    rounding = rng.choice([0, 4, 6])
    points, steps, height = ring(rng, corners, 20, 0.15), [], 0
    for k in range(count):
        factor, shift = rng.uniform(0.7, 1.2), rng.uniform(-4, 4)
        section = [[round(factor * x + shift, 4), round(factor * y, 4)] for x, y in points]
        steps.append(outline(f"s{k}", section, offset=round(height, 3), rounding=rounding))
        height += rng.uniform(10, 25)
    return [*steps, step("body", "loft", sections=[of(f"s{k}") for k in range(count)])]


def wavy(rng):
    """A prism under a freeform roof."""
    size = rng.uniform(15, 20)
    points = [[-size, -size], [size, -size], [size, size], [-size, size]]
    if rng.random() < 0.5:
        points = ring(rng, rng.randint(3, 6), size, 0.2)
    steps = [outline("o", points), step("walls", "extrude", profile=of("o"), length=60, back=20, ends="open")]
    height = rng.uniform(15, 25)
    lift = [[rng.uniform(-4, 4) for _ in range(4)] for _ in range(3)]
    for k, lifts in enumerate(lift):
        where = [[round(40 * (k - 1), 3), round(80 / 3 * j - 40, 3), round(height + z, 3)] for j, z in enumerate(lifts)]
        steps.append(step(f"r{k}", "space_curve", points=where))
    steps.append(step("roof", "loft", sections=[of(f"r{k}") for k in range(3)]))
    return [*steps, step("body", "enclose", shapes=[of("walls"), of("roof"), "xy"])]


def hollowed(rng):
    """A prism with straight or curved sides as a wall, open at one end."""
    steps = rng.choice([prism, curved, frustum])(rng)
    steps[-1] = {**steps[-1], "id": "base", "name": "base"}
    wall = round(rng.uniform(1, 3), 2)
    return [*steps, step("body", "hollow", solid=of("base"), open=[of("base", "face cap 1")], thickness=wall)]


def folded(rng):
    """A folded sheet with a wall."""
    points, angle = [[0, 0]], 0
    for _ in range(rng.randint(2, 4)):
        angle += math.radians(rng.choice([-1, 1]) * rng.uniform(25, 100)) if len(points) > 1 else 0
        length = rng.uniform(12, 25)
        x, y = points[-1]
        points.append([round(x + length * math.cos(angle), 3), round(y + length * math.sin(angle), 3)])
    drawing = {"plane": "xz", "curves": [{"id": "c", "kind": "polyline", "points": points}]}
    return [
        step("o", "drawing", **drawing),
        step("sheet", "extrude", profile=of("o"), length=round(rng.uniform(10, 25), 3)),
        step("body", "thicken", surface=of("sheet"), thickness=round(rng.uniform(1.5, 4), 2), side="both"),
    ]


FAMILIES = {
    "prism": prism,
    "frustum": frustum,
    "pyramid": pyramid,
    "facets": facets,
    "joined": joined,
    "turned": turned,
    "curved": curved,
    "lofted": lofted,
    "wavy": wavy,
    "hollowed": hollowed,
    "folded": folded,
}


class Edges:
    """Sharp edges of a mesh: where they run, and which patches of triangles meet at them."""

    def __init__(self, mesh, named):
        self.mesh = mesh
        # All edges as straight lines, blunt ones too: ends, and how long they are.
        self.lines = [(np.array(e["start"]), np.array(e["end"]), e["length_mm"], e["name"]) for e in named]
        sharp = mesh.face_adjacency_angles > SHARP
        pairs = mesh.face_adjacency[~sharp]
        count = len(mesh.faces)
        flat = coo_matrix((np.ones(len(pairs)), pairs.T), shape=(count, count))
        self.patch = connected_components(flat, directed=False)[1]
        self.patches = {}
        self.sides = {}
        ends, lengths = [], []
        for (a, b), faces, convex in zip(
            mesh.face_adjacency_edges[sharp], mesh.face_adjacency[sharp], mesh.face_adjacency_convex[sharp]
        ):
            self.sides[frozenset((a, b))] = (*faces, convex)
            ends.append((a, b))
            lengths.append(np.linalg.norm(mesh.vertices[a] - mesh.vertices[b]))
        ends = np.array(ends).reshape(-1, 2)
        n = len(mesh.vertices)
        self.graph = coo_matrix((lengths, ends.T), shape=(n, n)).tolil()
        tree = cKDTree(mesh.vertices)
        self.named = {}
        for edge in named:
            if edge["faces"] != 2:
                continue
            (_, _, end_off), (start, middle, end) = tree.query([edge["start"], edge["at"], edge["end"]])
            off = np.linalg.norm(mesh.vertices[middle] - edge["at"])
            if off > SLACK or middle in (start, end):
                # A straight edge of a single piece.
                way = [start, end] if frozenset((start, end)) in self.sides else None
            else:
                first = self.way(start, middle, ())
                second = self.way(middle, end, first or ())
                way = None if first is None or second is None else first[:-1] + second
            if way is not None and end_off < SLACK:
                self.named[edge["name"]] = way

    def way(self, start, end, without):
        graph = self.graph.tocsr()
        if len(without) > 1:
            graph = graph.tolil()
            for a, b in zip(without, without[1:]):
                graph[a, b] = graph[b, a] = 0
            graph = graph.tocsr()
            graph.eliminate_zeros()
        before = dijkstra(graph, directed=False, indices=start, return_predecessors=True)[1]
        out = [end]
        while out[-1] != start:
            if before[out[-1]] < 0:
                return None
            out.append(before[out[-1]])
        return out[::-1]

    def of_patch(self, patch):
        if patch not in self.patches:
            self.patches[patch] = self.mesh.faces[self.patch == patch].astype(np.int64)
        return self.patches[patch]

    def tangents(self, name):
        """End vertices, each with the direction in which the edge leaves it."""
        way = self.named[name]
        points = self.mesh.vertices
        out = []
        for a, b in ((way[0], way[1]), (way[-1], way[-2])):
            d = points[b] - points[a]
            out.append((a, d / np.linalg.norm(d)))
        return out

    def chained(self, names):
        """With all that follows along a tangent."""
        out, more = set(names), list(names)
        while more:
            name = more.pop()
            for vertex, d in self.tangents(name):
                for other in self.named:
                    if other not in out and any(v == vertex and d @ e < -0.9998 for v, e in self.tangents(other)):
                        out.add(other)
                        more.append(other)
        return out


    def beside(self, name):
        """For both ends of an edge the edges that meet it there, each with its name, direction and length; and the edge's own direction."""
        for vertex, own in self.tangents(name):
            at, out = self.mesh.vertices[vertex], []
            for a, b, length, other in self.lines:
                if other == name or min(np.linalg.norm(a - at), np.linalg.norm(b - at)) > SLACK:
                    continue
                if other in self.named:
                    leaves = [d for v, d in self.tangents(other) if v == vertex]
                else:
                    leaves = [b - a] if np.linalg.norm(a - at) <= SLACK else [a - b]
                out += [(other, d / np.linalg.norm(d), length) for d in leaves]
            yield own, out


class Balls:
    """The balls of a fillet, or the flats of a chamfer, at places of its edges."""

    def __init__(self, edges, radii, shape="fillet"):
        self.shape, names = shape, radii
        mesh = edges.mesh
        where, faces, outer, ends, owner = [], [], [], [], []
        for name in sorted(names):
            way = edges.named[name]
            points = mesh.vertices[way]
            run = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
            whole = run[-1]
            closed = way[0] == way[-1]
            for s in np.linspace(0, whole, max(9, min(60, int(whole / 0.5))) + 2)[1:-1]:
                k = min(int(np.searchsorted(run, s)), len(run) - 1)
                share = (s - run[k - 1]) / (run[k] - run[k - 1])
                a, b, convex = edges.sides[frozenset((way[k - 1], way[k]))]
                where.append(points[k - 1] + share * (points[k] - points[k - 1]))
                faces.append((a, b))
                outer.append(convex)
                ends.append((1e9, 1e9) if closed else (s, whole - s))
                owner.append(name)
        self.at, self.ends, self.owner = np.array(where), np.array(ends), np.array(owner)
        self.sign = np.where(outer, 1.0, -1.0)
        faces = np.array(faces)
        patch = edges.patch[faces]
        normals = mesh.face_normals[faces]
        radius = np.array([radii[n] for n in owner])
        if shape == "fillet":
            self.roll(edges, normals, patch, radius)
        else:
            self.lay(edges, normals, patch, radius)
        self.reach = np.maximum(*(np.linalg.norm(t - self.at, axis=1) for t in self.touch))
        self.taken = {}
        far = {n: self.reach[self.owner == n].max() for n in names}
        self.room_beside = True
        for name in names:
            taken = []
            for own, others in edges.beside(name):
                # What others take of this edge, and how far this one's strip runs on along others.
                most = 1.6 * far[name]
                for other, leaves, length in others:
                    turn = max(np.linalg.norm(np.cross(own, leaves)), 1e-3)
                    if other in far:
                        # A patch in the corner may begin half a radius before that.
                        half = 0.5 * math.atan2(turn, own @ leaves)
                        most = max(most, 1.15 * max(far[other], far[name]) / math.tan(half) + 0.6 * max(radii[other], radii[name]))
                        if radii[other] > radii[name]:
                            # The larger one comes first, and runs out over this edge.
                            most = max(most, 1.3 * far[other] / turn)
                    elif own @ leaves < 0:
                        most = max(most, 1.3 * far[name] / turn)
                        self.room_beside &= 1.3 * far[name] / turn + SLACK < length
                taken.append(most + SLACK)
            self.taken[name] = taken
        taken = np.array([self.taken[n] for n in self.owner])
        self.inner = (self.ends > taken).all(axis=1)
        self.radius = radius

    def roll(self, edges, normals, patch, radius):
        """Balls that touch both faces, by Newton's method."""
        mesh = edges.mesh
        a, b = normals[:, 0], normals[:, 1]
        middle = (a + b) / (1 + (a * b).sum(1))[:, None]
        c = self.at - (self.sign * radius)[:, None] * middle
        for _ in range(8):
            gap, lead, touch, level = [], [], [], []
            for side in (0, 1):
                near, normal = np.empty_like(c), np.empty_like(c)
                for p in np.unique(patch[:, side]):
                    mine = patch[:, side] == p
                    own = edges.of_patch(p)
                    _, k, q = igl.point_mesh_squared_distance(c[mine], mesh.vertices, own)
                    near[mine] = q
                    t = mesh.vertices[own[k]]
                    normal[mine] = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])
                away = c - near
                length = np.linalg.norm(away, axis=1)
                normal /= np.linalg.norm(normal, axis=1)[:, None]
                gap.append(radius - length)
                lead.append(away / np.maximum(length, 1e-12)[:, None])
                touch.append(near)
                level.append(-self.sign * (lead[-1] * normal).sum(1))
            dot = np.clip((lead[0] * lead[1]).sum(1), -0.9999, 0.9999)
            x = (gap[0] - dot * gap[1]) / (1 - dot**2)
            y = (gap[1] - dot * gap[0]) / (1 - dot**2)
            move = x[:, None] * lead[0] + y[:, None] * lead[1]
            move *= np.minimum(1, radius / np.maximum(np.linalg.norm(move, axis=1), 1e-12))[:, None]
            c = c + move
        self.center, self.touch, self.level = c, touch, np.minimum(level[0], level[1])
        self.miss = np.maximum(abs(gap[0]), abs(gap[1]))
        toward = self.at - c
        self.middle = c + toward * (radius / np.linalg.norm(toward, axis=1))[:, None]
        self.free = distances(c, mesh)

    def lay(self, edges, normals, patch, size):
        """Flats between places at a distance from the edge on both faces, in planes about square to it."""
        mesh = edges.mesh
        along = np.cross(normals[:, 0], normals[:, 1])
        along /= np.linalg.norm(along, axis=1)[:, None]
        touch, off = [], []
        for side in (0, 1):
            into = np.cross(along, normals[:, side])
            # Into the face: away from the other one's outer side of an outer edge.
            into *= (-np.sign((into * normals[:, 1 - side]).sum(1)) * self.sign)[:, None]
            q = self.at + into * size[:, None]
            for _ in range(20):
                near = np.empty_like(q)
                for p in np.unique(patch[:, side]):
                    mine = patch[:, side] == p
                    near[mine] = igl.point_mesh_squared_distance(q[mine], mesh.vertices, edges.of_patch(p))[2]
                away = near - self.at
                away -= along * (away * along).sum(1)[:, None]
                q = self.at + away * (size / np.maximum(np.linalg.norm(away, axis=1), 1e-9))[:, None]
            touch.append(q)
            off.append(np.linalg.norm(near - q, axis=1))
        self.touch, self.miss = touch, np.maximum(*off)
        self.middle = self.center = (touch[0] + touch[1]) / 2
        self.level = np.ones(len(q))
        self.free = np.full(len(q), np.inf)
        for s in np.linspace(0.1, 0.9, 7):
            p = touch[0] + s * (touch[1] - touch[0])
            depth = distances(p, mesh)
            wrong = (inside(p, mesh) != (self.sign > 0)) & (depth > SLACK / 3)
            self.free[wrong] = -1

    def has_room(self):
        """Whether all places away from ends have their ball, and every edge has such a place."""
        mine = self.inner
        if set(self.owner[mine]) != set(self.owner) or not self.room_beside:
            return False
        if (self.miss > SLACK / 3)[mine].any() or (self.level < 0.97)[mine].any():
            return False
        if (self.free < self.radius - SLACK)[mine].any():
            return False
        # What one fillet reaches is not free for another one.
        tree = cKDTree(self.at)
        for touch in self.touch:
            for k in np.flatnonzero(mine):
                for other in tree.query_ball_point(touch[k], self.reach.max()):
                    foreign = self.owner[other] != self.owner[k] and self.inner[other]
                    if foreign and np.linalg.norm(self.at[other] - touch[k]) < self.reach[other]:
                        return False
        return True


def judge(source, edges, balls, made, room, rng):
    """What is wrong with a fillet."""
    mesh, radius = made.mesh, balls.radius.max()
    if not mesh.is_watertight:
        return "mesh open"
    if abs(mesh.volume - made.volume) > 0.003 * mesh.volume + 3 * CHORD * mesh.area:
        return f"volume {made.volume:.1f}, mesh {mesh.volume:.1f}"
    mine = balls.inner & (balls.miss < SLACK / 3) & (balls.level > 0.97) & (balls.free > balls.radius - SLACK / 3)
    off = distances(balls.middle, mesh)[mine]
    if (off > SLACK).any():
        return f"{(off > SLACK).sum()} of {mine.sum()} places of edges off by {off.max():.3f}"
    if not room:
        return ""
    # Where inner and outer edges meet, those that come to follow each other smoothly are rounded too.
    mixed = len(set(balls.sign)) > 1
    reach = max(radius, balls.reach[mine].max() if mine.any() else radius)
    tree = cKDTree(np.concatenate([source.vertices[edges.named[n]] for n in set(balls.owner)] + [balls.at]))
    points = places_in(source, PLACES, rng)
    away = tree.query(points)[0]
    far = (away > 2.2 * reach + SLACK) & (distances(points, source) > 3 * CHORD)
    changed = inside(points[far], source) != inside(points[far], mesh)
    if changed.sum() > 2 and not mixed:
        return f"{changed.sum()} of {far.sum()} places away from the fillets changed"
    where, of_face = trimesh.sample.sample_surface(mesh, PLACES, seed=int(rng.integers(1 << 30)))
    new = distances(where, source) > SLACK
    for name in set(balls.owner):
        # What runs out beyond a corner may lie on a ball that reaches out of the solid there.
        for end, taken in zip((0, -1), balls.taken[name]):
            corner = source.vertices[edges.named[name][end]]
            new &= np.linalg.norm(where - corner, axis=1) > max(2.2 * reach, 1.5 * taken)
    if new.any() and balls.shape == "fillet":
        p, n = where[new], mesh.face_normals[of_face[new]]
        best = np.full(len(p), np.inf)
        for sign, own in itertools.product((1, -1), set(balls.radius)):
            c = p - sign * own * n
            right = inside(c, source) == (sign > 0)
            best = np.minimum(best, np.where(right, np.abs(distances(c, source) - own), np.inf))
        # Facets are off their normals by the square root of twice the chord.
        bound = 3 * SLACK + 2 * math.sqrt(2 * CHORD * radius) * 0.5
        if (best > bound).sum() > max(3, 0.03 * len(p)):
            return f"{(best > bound).sum()} of {len(p)} places not on a ball, off by {np.percentile(best, 99):.3f}"
    return ""


def choose(rng, edges):
    """Edges, and what they are called."""
    names = sorted(edges.named)
    way = rng.choice(["one", "two", "corner", "half", "all"])
    if way == "one" or len(names) == 1:
        return way, [rng.choice(names)]
    if way == "two":
        return way, rng.sample(names, 2)
    if way == "all":
        return way, names
    if way == "half":
        return way, rng.sample(names, (len(names) + 1) // 2)
    vertex = rng.choice([edges.named[n][0] for n in names])
    return way, [n for n in names if vertex in (edges.named[n][0], edges.named[n][-1])]


def measure(program, folder, family, seed, tries, tally, asked):
    rng = random.Random(f"{family} {seed}")
    steps = FAMILIES[family](rng)
    source = Built(program, steps, folder, f"{family}_{seed}", chord=CHORD, topology=True)
    if source.mesh is None or not source.mesh.is_watertight or source.report["bodies"][-1]["kind"] != "solid":
        tally["none"] += 1
        print(f"   {family}_{seed}: no source: {source.error[:150]}", flush=True)
        return
    edges = Edges(source.mesh, source.topology[-1]["edges"])
    if not edges.named:
        tally["none"] += 1
        return
    for k in range(tries):
        way, chosen = choose(rng, edges)
        radius = round(math.exp(rng.uniform(math.log(0.3), math.log(6))), 2)
        # Edges that follow each other have one radius.
        chains, own = [], {}
        for n in chosen:
            if n not in own:
                chains.append(edges.chained([n]))
                own.update(dict.fromkeys(chains[-1], len(chains) - 1))
        sizes = [radius] + [round(radius * rng.uniform(0.3, 1.6), 2) for _ in range(asked.radii - 1)]
        group = [0] + [rng.randrange(asked.radii) for _ in chains[1:]] if asked.radii > 1 else [0] * len(chains)
        balls = Balls(edges, {n: sizes[group[c]] for n, c in own.items()}, asked.shape)
        room = balls.has_room()
        fields = [("edges", "radius"), ("other_edges", "other_radius"), ("third_edges", "third_radius")]
        fields = fields if asked.shape == "fillet" else [("edges", "distance")]
        how = {}
        for g, (slot, size) in enumerate(fields[: asked.radii]):
            how[size] = sizes[g]
            how[slot] = [of("body", n) for n in chosen if group[own[n]] == g]
        last = step("f", asked.shape, **how)
        names = own
        name = f"{family}_{seed}_{k}"
        made = Built(program, [*steps, last], folder, name, chord=CHORD)
        kind = "room" if room else "tight"
        tally[kind] += 1
        tally["slow"] += made.seconds > 10
        about = f"{name} ({way}, {len(names)} edges, {sizes} mm, {kind})"
        if made.mesh is None:
            if room or asked.tell_all:
                print(f"   {about}: {made.seconds:.1f} s: {made.error[:180]}", flush=True)
            continue
        wrong = judge(source.mesh, edges, balls, made, room, np.random.default_rng(seed))
        if wrong:
            tally["wrong"] += 1
            print(f"   {about}: WRONG {wrong}", flush=True)
            continue
        tally[f"{kind} built"] += 1


def main():
    words = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    words.add_argument("program")
    words.add_argument("--seed", type=int, default=1)
    words.add_argument("--count", type=int, default=6)
    words.add_argument("--tries", type=int, default=5)
    words.add_argument("--families", default=",".join(FAMILIES))
    words.add_argument("--tell-all", action="store_true", help="tells of refusals too where there is less room")
    words.add_argument("--shape", choices=["fillet", "chamfer"], default="fillet")
    words.add_argument("--radii", type=int, choices=[1, 2, 3], default=1, help="how many fillets have")
    words.add_argument("--keep", default="")
    asked = words.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        folder = Path(asked.keep or folder)
        folder.mkdir(parents=True, exist_ok=True)
        for family in asked.families.split(","):
            tally = dict.fromkeys(["room", "room built", "tight", "tight built", "wrong", "slow", "none"], 0)
            for n in range(asked.count):
                measure(asked.program, folder, family, asked.seed + n, asked.tries, tally, asked)
            share = 100 * tally["room built"] / max(1, tally["room"])
            print(
                f"== {family}: {tally['room built']} of {tally['room']} with room ({share:.1f} %), "
                f"{tally['tight built']} of {tally['tight']} with less, {tally['wrong']} wrong, "
                f"{tally['slow']} over 10 s, {tally['none']} without a source",
                flush=True,
            )


if __name__ == "__main__":
    main()
