"""Exported files read back by general-purpose libraries: trimesh (meshes), steputils (ISO 10303-21), scipy (splines).

Use: check_files.py FOLDER PROGRAM, where FOLDER holds recipes. Every recipe is built to a temporary folder.
"""

import json
import math
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh
from scipy.interpolate import BSpline
from steputils import p21

EXAMPLES, PROGRAM = Path(sys.argv[1]), sys.argv[2]
CHORDS = (0.5, 0.05, 0.01)


def build(recipe: Path, folder: Path, chord: float) -> dict:
    files = [folder / f"{recipe.stem}.{ending}" for ending in ("step", "stl", "3mf", "glb")]
    exports = [word for file in files for word in ("--export", str(file))]
    report = folder / "report.json"
    command = [PROGRAM, "build", str(recipe), *exports, "--report", str(report), "--chord", str(chord)]
    subprocess.run(command, check=True, capture_output=True)
    return json.loads(report.read_text())


def knot_vector(multiplicities, values):
    return np.repeat([float(v) for v in values], [int(m) for m in multiplicities])


def makes_a_body(recipe: Path) -> bool:
    """Whether a recipe comes to a body; some are curves only, which nothing here is exported from."""
    with tempfile.TemporaryDirectory() as folder:
        report = Path(folder) / "report.json"
        subprocess.run([PROGRAM, "build", str(recipe), "--report", str(report)], check=True, capture_output=True)
        return bool(json.loads(report.read_text())["bodies"])


SOLID = [recipe for recipe in sorted(EXAMPLES.glob("*.json")) if makes_a_body(recipe)]


class Files(unittest.TestCase):
    def each(self, chord):
        self.assertGreaterEqual(len(SOLID), 4)
        for recipe in SOLID:
            with self.subTest(recipe=recipe.stem, chord=chord), tempfile.TemporaryDirectory() as folder:
                yield recipe, Path(folder), build(recipe, Path(folder), chord)

    def test_meshes_are_watertight_and_hold_the_reported_volume(self):
        for chord in CHORDS:
            for recipe, folder, report in self.each(chord):
                volume = sum(b["volume_mm3"] for b in report["bodies"])
                area = sum(b["area_mm2"] for b in report["bodies"])
                for ending in ("stl", "3mf"):
                    mesh = trimesh.load(folder / f"{recipe.stem}.{ending}", force="mesh")
                    self.assertTrue(mesh.is_watertight, ending)
                    self.assertTrue(mesh.is_winding_consistent, ending)
                    # A mesh within the chord tolerance of every surface differs by at most area times chord.
                    self.assertLess(abs(mesh.volume - volume), chord * area, ending)
                    self.assertGreater(mesh.volume, 0)
                stl = (folder / f"{recipe.stem}.stl").read_bytes()
                # FF-01: 84 + 50 n bytes.
                self.assertEqual(len(stl), 84 + 50 * int.from_bytes(stl[80:84], "little"))

    def test_finer_meshes_come_nearer_to_the_volume(self):
        misses, finest = {}, {}
        for chord in CHORDS:
            for recipe, folder, report in self.each(chord):
                mesh = trimesh.load(folder / f"{recipe.stem}.stl", force="mesh")
                volume = sum(b["volume_mm3"] for b in report["bodies"])
                # A mesh whose points lie on the surface misses less than its chord all over it.
                most = chord * sum(b["area_mm2"] for b in report["bodies"]) / volume
                relative = abs(mesh.volume - volume) / volume
                self.assertLess(relative, most, recipe.stem)
                misses.setdefault(recipe.stem, []).append(relative)
                finest[recipe.stem] = most
        for name, relative in misses.items():
            # Chords of a round shape miss two thirds of the tolerance on the mean, of thin wire some thousandths of its volume.
            self.assertLess(relative[-1], max(5e-3, 2 / 3 * finest[name]), name)
            self.assertLessEqual(relative[-1], relative[0] + 1e-6, name)

    def test_glb_is_metres_with_y_up(self):
        for recipe, folder, report in self.each(0.05):
            scene = trimesh.load(folder / f"{recipe.stem}.glb")
            boxes = np.array([body["bounding_box"] for body in report["bodies"]])
            size = (boxes[:, 1].max(axis=0) - boxes[:, 0].min(axis=0)) / 1000
            np.testing.assert_allclose(scene.extents, [size[0], size[2], size[1]], atol=2e-4)

    def test_step_parses_and_its_structure_closes(self):
        for recipe, folder, _report in self.each(0.5):
            step = p21.readfile(folder / f"{recipe.stem}.step")
            schema = str(step.header["FILE_SCHEMA"])
            self.assertIn("AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF", schema)
            records = step.data[0].instances
            simple = {k: v.entity for k, v in records.items() if hasattr(v, "entity")}
            names = [e.name for e in simple.values()]
            self.assertTrue({"MANIFOLD_SOLID_BREP", "BREP_WITH_VOIDS"} & set(names))
            # Every reference leads to a record.
            def references(value):
                if isinstance(value, p21.Reference):
                    yield value
                elif isinstance(value, (list, tuple)):
                    for item in value:
                        yield from references(item)
            for entity in simple.values():
                for reference in references(entity.params):
                    self.assertIn(reference, records)
            # Each edge of a closed shell is used once along and once against its direction.
            uses = {}
            for face in (e for e in simple.values() if e.name == "ADVANCED_FACE"):
                for bound in face.params[1]:
                    bound = simple[bound]
                    along = str(bound.params[2]).strip(".") == "T"
                    for edge in simple[bound.params[1]].params[1]:
                        oriented = simple[edge]
                        sense = (str(oriented.params[4]).strip(".") == "T") == along
                        uses.setdefault(oriented.params[3], []).append(sense)
            self.assertTrue(uses)
            for edge, senses in uses.items():
                self.assertEqual(sorted(senses), [False, True], edge)

    def turned(self, name, kind, points, folder):
        """Report and STEP records of one curve turned about the z axis."""
        curve = {"id": "c", "kind": kind, "points": points}
        recipe = {"format": "kindred-shell-recipe", "version": 1, "name": name, "steps": [
            {"id": "d", "name": "d", "make": {"drawing": {"plane": "xz", "curves": [curve]}}},
            {"id": "r", "name": "r", "make": {"revolve": {"profile": {"step": "d"}}}}]}
        path = Path(folder) / "turned.json"
        path.write_text(json.dumps(recipe))
        return build(path, Path(folder), 0.05), p21.readfile(Path(folder) / "turned.step").data[0].instances

    def test_a_sphere_goes_out_as_a_sphere(self):
        # EX-08: a half circle of radius 2 turned about the axis.
        with tempfile.TemporaryDirectory() as folder:
            report, records = self.turned("Ball's é", "arc", [[0, -2], [2, 0], [0, 2]], folder)
        self.assertAlmostEqual(report["bodies"][0]["volume_mm3"], 32 * math.pi / 3, delta=1e-9)
        self.assertAlmostEqual(report["bodies"][0]["area_mm2"], 16 * math.pi, delta=1e-9)
        simple = [r.entity for r in records.values() if hasattr(r, "entity")]
        product = next(e for e in simple if e.name == "PRODUCT")
        self.assertEqual(product.params[0], "Ball's é")
        sphere = next(e for e in simple if e.name == "SPHERICAL_SURFACE")
        self.assertAlmostEqual(float(sphere.params[2]), 2, delta=1e-12)
        centre = records[records[sphere.params[1]].entity.params[1]].entity.params[1]
        np.testing.assert_allclose(np.array(centre, dtype=float), 0, atol=1e-12)

    def test_a_turned_spline_in_step_is_round_to_the_last_digits(self):
        # The rational net is evaluated by scipy, not by us: every row stands about the axis at one height.
        with tempfile.TemporaryDirectory() as folder:
            _report, records = self.turned("Gourd", "control_points", [[0, 0], [9, 1], [4, 6], [0, 12]], folder)
        parts = {e.name: e.params for r in records.values() if hasattr(r, "entities") for e in r.entities if "SURFACE" in e.name}
        p, q, net = parts["B_SPLINE_SURFACE"][:3]
        mu, mv, ku, kv = parts["B_SPLINE_SURFACE_WITH_KNOTS"][:4]
        weights = np.array(parts["RATIONAL_B_SPLINE_SURFACE"][0], dtype=float)
        points = np.array([[records[i].entity.params[1] for i in row] for row in net], dtype=float)
        homogeneous = np.concatenate([points * weights[..., None], weights[..., None]], axis=2)
        along = BSpline(knot_vector(mu, ku), homogeneous, p)(np.linspace(0, 1, 41))
        grid = BSpline(knot_vector(mv, kv), along.transpose(1, 0, 2), q)(np.linspace(0, 1, 41))
        places = grid[..., :3] / grid[..., 3:]
        radius = np.hypot(places[..., 0], places[..., 1])
        # One of the two directions runs round.
        spread = min(np.ptp(radius, axis=axis).max() + np.ptp(places[..., 2], axis=axis).max() for axis in (0, 1))
        self.assertLess(spread, 1e-12)
        self.assertGreater(np.ptp(radius), 1)

    def test_builds_are_the_same_byte_for_byte(self):
        for recipe, folder, _report in self.each(0.1):
            first = {f.name: f.read_bytes() for f in folder.iterdir() if f.suffix != ".json"}
            build(recipe, folder, 0.1)
            for name, data in first.items():
                self.assertEqual((folder / name).read_bytes(), data, name)


if __name__ == "__main__":
    outcome = unittest.main(argv=["crosscheck"], exit=False, verbosity=2).result
    failed = len(outcome.failures) + len(outcome.errors)
    print(f"crosscheck: {outcome.testsRun - failed} passed, {failed} failed")
    sys.exit(bool(failed))
