"""The JSON interface as other programs meet it: requests made up from its description (schemathesis), and a client made from
it (openapi-python-client) that makes a part, names an edge and rounds it, and gets a STEP file.

Use: check_interface.py PROGRAM; DATABASE_URL names an empty database. On loopback, bounded in count and time.
"""

import importlib
import json
import os
import re
import socket
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

PROGRAM = sys.argv[1]
TOOLS = Path(sys.executable).parent
# Answers that are right by the description, whatever was asked.
CHECKS = [
    "not_a_server_error", "status_code_conformance", "content_type_conformance", "response_headers_conformance",
    "response_schema_conformance", "unsupported_method",
]


class Interface(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            cls.address = f"http://127.0.0.1:{probe.getsockname()[1]}"
        cls.server = subprocess.Popen(
            [PROGRAM, "serve", "--port", cls.address.rsplit(":", 1)[1], "--step-seconds", "20"],
            stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
        )
        cls.addClassCleanup(cls.server.stdout.close)
        assert "ready" in cls.server.stdout.readline()

    @classmethod
    def tearDownClass(cls):
        cls.server.terminate()
        cls.server.wait(10)

    def test_no_request_made_up_from_the_description_finds_a_fault(self):
        with tempfile.TemporaryDirectory() as folder:
            command = [
                str(TOOLS / "schemathesis"), "run", f"{self.address}/api/openapi.json", "--checks", ",".join(CHECKS),
                # The channel is no plain request.
                "--exclude-path", "/api/parts/{id}/live",
                # One worker: Python 3.11 may fail to parse source in two threads at once ("recursion depth mismatch").
                "--max-examples", "25", "--max-time", "90", "--workers", "1", "--seed", "7", "--no-color",
                "--generation-database", "none",
            ]
            done = subprocess.run(command, cwd=folder, capture_output=True, text=True, timeout=300)
        self.assertEqual(done.returncode, 0, done.stdout[-6000:])
        made = int(re.search(r"(\d+) generated", done.stdout)[1])
        print(f"schemathesis: {made} requests")
        self.assertGreater(made, 300)

    def test_a_client_made_from_the_description_makes_a_part_and_rounds_an_edge(self):
        with tempfile.TemporaryDirectory() as folder:
            # The generator takes files of other media types than these for nothing that it knows.
            files = ["model/step", "model/stl", "model/3mf", "model/gltf-binary", "image/png"]
            config = {"post_hooks": [], "content_type_overrides": dict.fromkeys(files, "application/octet-stream")}
            Path(folder, "config.json").write_text(json.dumps(config))
            made = subprocess.run(
                [str(TOOLS / "openapi-python-client"), "generate", "--url", f"{self.address}/api/openapi.json",
                 "--config", f"{folder}/config.json", "--meta", "none", "--output-path", f"{folder}/kindred",
                 "--fail-on-warning"],
                capture_output=True, text=True, timeout=120,
            )
            self.assertEqual(made.returncode, 0, made.stdout + made.stderr)
            sys.path.insert(0, folder)
            self.addCleanup(sys.path.remove, folder)
            use = lambda name: importlib.import_module(f"kindred.api.default.{name}").sync_detailed
            models = importlib.import_module("kindred.models")
            client = importlib.import_module("kindred").Client(base_url=self.address)

            square = {"id": "c", "kind": "rectangle", "points": [[-10, -10]], "values": {"width": 20, "height": 20}}
            recipe = models.Recipe.from_dict({
                "format": "kindred-shell-recipe", "version": 2, "name": "By a client",
                "parameters": [{"name": "high", "quantity": "length", "formula": "8 mm"}],
                "steps": [{"id": "d", "name": "d", "make": {"drawing": {"plane": "xy", "curves": [square]}}}],
            })
            answer = use("create_part")(client=client, body=recipe)
            self.assertEqual(answer.status_code, 201, answer.content)
            part = answer.parsed.id

            def edit(version, *edits):
                body = models.Edits.from_dict({"version": version, "edits": list(edits)})
                answer = use("edit_part")(part, client=client, body=body)
                self.assertEqual(answer.status_code, 200, answer.content)
                return json.loads(answer.content)

            block = {"extrude": {"profile": {"step": "d"}, "length": "high"}}
            edited = edit(1, {"edit": "add_step", "step": {"id": "", "name": "Block", "make": block}})
            self.assertEqual(edited["added"], "block")
            [shapes] = json.loads(use("get_topology")(part, client=client, step="block").content)
            self.assertEqual(len(shapes["faces"]), 6)
            # The four that stand upright, by what is told of them.
            upright = [e for e in shapes["edges"] if e["kind"] == "line" and abs(e["length_mm"] - 8) < 1e-6]
            self.assertEqual(len(upright), 4)
            fillet = {"fillet": {"edges": [{"step": "block", "item": upright[0]["name"]}], "radius": 3}}
            edited = edit(edited["version"], {"edit": "add_step", "step": {"id": "", "name": "Soft", "make": fillet}})
            report = json.loads(use("get_report")(part, client=client).content)
            self.assertTrue(report["ready"], report["headline"])
            # A quarter of what a square has more than its circle goes, all the way up: (1 - pi/4) r^2 h.
            self.assertAlmostEqual(report["bodies"][0]["volume_mm3"], 20 * 20 * 8 - (1 - 3.141592653589793 / 4) * 9 * 8, 6)
            step = use("send_part")(part, "step", client=client, set_=["high=16 mm"])
            self.assertEqual(step.status_code, 200, step.content[:300])
            self.assertIn(b"MANIFOLD_SOLID_BREP", step.content)
            wrong = use("get_topology")(part, client=client, step="blok")
            self.assertEqual(wrong.status_code, 404)
            self.assertIn("nearest: block", json.loads(wrong.content)["error"])
            log = json.loads(use("list_history")(part, client=client).content)["entries"]
            self.assertEqual([entry["label"] for entry in log], ["Add Soft", "Add Block", "Begin"])
            old = json.loads(use("get_old_recipe")(part, 1, client=client).content)
            self.assertEqual([step["id"] for step in old["steps"]], ["d", "block"])


if __name__ == "__main__":
    assert os.environ.get("DATABASE_URL"), "DATABASE_URL names an empty database"
    result = unittest.main(argv=sys.argv[:1], exit=False).result
    failed = len(result.failures) + len(result.errors)
    print(f"crosscheck: {result.testsRun - failed} passed, {failed} failed")
    sys.exit(bool(failed))
