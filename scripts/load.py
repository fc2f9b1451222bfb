"""How the server bears load: light work beside heavy, many parts on the rack, pages, slow readers, a part that is held.

Started by scripts/load. Every loop is bounded, and everything goes to 127.0.0.1.
"""

import gzip
import http.client
import json
import os
import pathlib
import random
import re
import socket
import subprocess
import sys
import threading
import time

from websockets.sync.client import connect

ROOT = pathlib.Path(__file__).resolve().parent.parent
PROGRAM = os.environ.get("KINDRED_SHELL", str(ROOT / "target/debug/kindred-shell"))
QUICK = "--quick" in sys.argv
HEAVY = ["wind-cup", "hoist-handle", "keel-foot", "sensor-pod"]
LIGHT = {
    "format": "kindred-shell-recipe", "version": 1, "name": "Light",
    "steps": [
        {"id": "p", "name": "p", "make": {"drawing": {"plane": "xz", "curves": [
            {"id": "c", "kind": "through_points", "points": [[5, 0], [12, 10], [8, 30]]}]}}},
        {"id": "r", "name": "r", "make": {"revolve": {"profile": {"step": "p"}}}},
        {"id": "t", "name": "t", "make": {"thicken": {"surface": {"step": "r"}, "thickness": 2}}},
    ],
}
faults = []


def figure(name, value, unit, most=None):
    bad = most is not None and value > most
    if bad:
        faults.append(name)
    limit = "" if most is None else f" (at most {most:g})"
    print(f"{'BEYOND ' if bad else ''}{name}: {value:.4g} {unit}{limit}", flush=True)
    return value


class Server:
    def __init__(self):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.process = subprocess.Popen(
            [PROGRAM, "serve", "--port", str(self.port)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
        )
        assert "ready" in self.process.stdout.readline()

    def ask(self, method, path, body=None, headers=None, patience=60):
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=patience)
        try:
            text = None if body is None else body if isinstance(body, (bytes, str)) else json.dumps(body)
            connection.request(method, path, text, {"Content-Type": "application/json", **(headers or {})})
            answer = connection.getresponse()
            return answer.status, answer.read(), dict(answer.getheaders())
        finally:
            connection.close()

    def make(self, recipe):
        status, body, _ = self.ask("POST", "/api/parts", recipe)
        assert status == 201, body
        return json.loads(body)["id"]

    def held(self):
        return int(re.search(r"VmRSS:\s+(\d+)", pathlib.Path(f"/proc/{self.process.pid}/status").read_text())[1]) / 1024

    def used(self):
        fields = pathlib.Path(f"/proc/{self.process.pid}/stat").read_text().rsplit(")", 1)[1].split()
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    def stop(self):
        self.process.terminate()
        self.process.wait(10)


class Page:
    """A page that has a part open."""

    def __init__(self, server, part):
        self.socket = connect(f"ws://127.0.0.1:{server.port}/api/parts/{part}/live", max_size=None)
        self.ticket = 0

    def preview(self, edits, patience=30):
        self.ticket += 1
        self.socket.send(json.dumps({"do": "show", "ticket": self.ticket, "version": 1, "edits": edits}))
        started = time.monotonic()
        while True:
            heard = self.socket.recv(patience)
            if isinstance(heard, bytes) and int.from_bytes(heard[:8], "little") == self.ticket:
                return time.monotonic() - started
            if isinstance(heard, str) and json.loads(heard)["kind"] == "refused":
                raise RuntimeError(heard)


def p50(times):
    return sorted(times)[len(times) // 2] * 1000


def light_edit(k):
    return [{"edit": "move_point", "step": "p", "curve": "c", "index": 1, "to": [12 + (k % 97) / 100 + random.random() / 1000, 10]}]


def heavy_edit(recipe, k):
    """Another value of a length that much is made from."""
    name = next(p for p in recipe["parameters"] if p["quantity"] == "length")
    return [{"edit": "set_parameter", "parameter": {**name, "formula": f"({name['formula']}) * {1 + (k % 40) / 4000 + random.random() / 1e5}"}}]


def light_beside_heavy(server):
    light = Page(server, server.make(LIGHT))
    count = 20 if QUICK else 60
    light.preview(light_edit(0))
    alone = figure("light preview alone, p50", p50([light.preview(light_edit(k)) for k in range(count)]), "ms")
    stop, done, worst = threading.Event(), [0] * len(HEAVY), [0.0] * len(HEAVY)

    def work(which, recipe, part):
        page = Page(server, part)
        k = 0
        while not stop.is_set() and k < 2000:
            k += 1
            took = page.preview(heavy_edit(recipe, k))
            done[which] += 1
            worst[which] = max(worst[which], took)

    threads = []
    for which, name in enumerate(HEAVY):
        recipe = {**json.loads((ROOT / "examples" / f"{name}.json").read_text()), "version": int(os.environ.get("RECIPE_VERSION", "2"))}
        threads.append(threading.Thread(target=work, args=(which, recipe, server.make(recipe)), daemon=True))
    for thread in threads:
        thread.start()
    time.sleep(5)
    beside = [light.preview(light_edit(k)) for k in range(count)]
    stop.set()
    for thread in threads:
        thread.join(60)
    figure("light preview beside four heavy parts, p50", p50(beside), "ms", 2 * alone)
    figure("  its slowest", max(beside) * 1000, "ms", 10_000)
    figure("heavy previews meanwhile", sum(done), "")
    figure("  their slowest", max(worst), "s", 10)


def two_hostile_requests(server):
    """Recipes whose parameters take long to check must not keep others waiting."""
    light = Page(server, server.make(LIGHT))
    names = [f"a{k}" for k in range(1000)]
    fan = {**LIGHT, "parameters": [{"name": "a0", "quantity": "ratio", "formula": 1}] + [
        {"name": name, "quantity": "ratio", "formula": "+".join(names[max(0, k - 20) : k])[:95]} for k, name in enumerate(names) if k]}
    took = []

    def send():
        started = time.monotonic()
        server.ask("POST", "/api/parts", fan)
        took.append(time.monotonic() - started)

    threads = [threading.Thread(target=send) for _ in range(2)]
    for thread in threads:
        thread.start()
    beside = [light.preview(light_edit(k)) for k in range(10)]
    for thread in threads:
        thread.join(60)
    figure("a recipe of 1,000 long parameters, checked", max(took) * 1000, "ms", 1000)
    figure("light preview meanwhile, slowest", max(beside) * 1000, "ms", 1000)


def rack(server):
    count = 60 if QUICK else 340
    for k in range(count):
        server.make({**LIGHT, "name": f"Part {k}"})
    started, used = time.monotonic(), server.used()
    server.ask("GET", "/")
    figure(f"rack of {count + 6} parts, nothing kept", (time.monotonic() - started) * 1000, "ms", 300)
    parts, page = [], 1
    while True:
        found = json.loads(server.ask("GET", f"/api/parts?page={page}&per_page=200")[1])
        parts += found["parts"]
        page += 1
        if len(parts) >= found["total"]:
            break
    for part in parts[:70]:
        server.ask("GET", f"/parts/{part['id']}/summary")
    times = []
    used = server.used()
    for _ in range(10):
        started = time.monotonic()
        _, page, headers = server.ask("GET", "/", headers={"Accept-Encoding": "gzip"})
        times.append(time.monotonic() - started)
    figure("rack with what is kept, p50", p50(times), "ms", 300)
    pictures = re.findall(r'src="(/parts/[^"]+picture.png[^"]*)"', gzip.decompress(page).decode())
    for picture in pictures:
        server.ask("GET", picture.replace("&amp;", "&"))
    figure("  processor time of a visit with its pictures", (server.used() - used) / 10, "s", 0.5)


def page_load(server):
    part = server.make(LIGHT)
    seen, queue, packed, again = set(), [f"/parts/{part}"], 0, 0
    while queue:
        path = queue.pop()
        if path in seen:
            continue
        seen.add(path)
        status, body, headers = server.ask("GET", path, headers={"Accept-Encoding": "gzip"})
        assert status == 200, path
        packed += len(body)
        kept = "immutable" in headers.get("cache-control", "")
        again += not kept
        text = gzip.decompress(body) if headers.get("content-encoding") == "gzip" else body
        kind = headers.get("content-type", "")
        folder = path.rsplit("/", 1)[0]
        if "html" in kind:
            queue += re.findall(r'(?:href|src)="(/assets/[^"]+)"', text.decode())
        elif "javascript" in kind:
            for wanted in re.findall(r"""(?:from|import)\s*['"](\.[^'"]+)['"]""", text.decode()):
                queue.append(os.path.normpath(f"{folder}/{wanted}"))
        elif "css" in kind:
            for wanted in re.findall(r"url\('?(\.[^')]+)'?\)", text.decode()):
                queue.append(os.path.normpath(f"{folder}/{wanted}"))
    figure("part page with all that it loads, packed", packed / 1e6, "MB", 1)
    figure("  requests at first", len(seen), "")
    figure("  requests when cached, with the part itself and its channel", again + 2, "", 10)


def slow_readers(server):
    recipe = json.loads((ROOT / "examples" / "keel-foot.json").read_text())
    part = server.make(recipe)
    chord = 0.05 if QUICK else 0.002
    before = server.held()
    sockets = []
    for _ in range(8):
        reader = socket.create_connection(("127.0.0.1", server.port))
        reader.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
        reader.sendall(f"GET /api/parts/{part}/send/stl?chord={chord} HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\n\r\n".encode())
        sockets.append(reader)
    for reader in sockets:
        reader.settimeout(120)
        head = reader.recv(4096)
        assert b" 200 " in head, head[:200]
    size = int(re.search(rb"content-length: (\d+)", head)[1]) / 1e6
    time.sleep(1)
    figure("a file of triangles", size, "MB")
    figure("  memory held beside eight slow readers of it", server.held() - before, "MB", 400)
    for reader in sockets:
        reader.close()


def held_part(server):
    """Something holds a part's row for a while; others must not notice."""
    held, free = server.make(LIGHT), server.make(LIGHT)
    holder = subprocess.Popen(["psql", os.environ["DATABASE_URL"], "-qc", f"BEGIN; SELECT 1 FROM parts WHERE id = '{held}' FOR UPDATE; SELECT pg_sleep(6); COMMIT"], stdout=subprocess.DEVNULL)
    time.sleep(0.5)
    statuses, times = [], []

    def edit(part):
        return server.ask("POST", f"/api/parts/{part}/edits", {"version": 1, "edits": [{"edit": "rename_part", "name": "New"}]})

    threads = [threading.Thread(target=lambda: statuses.append(edit(held)[:2])) for _ in range(20)]
    for thread in threads:
        thread.start()
    for _ in range(10):
        started = time.monotonic()
        assert server.ask("GET", f"/api/parts/{free}")[0] == 200
        times.append(time.monotonic() - started)
    started = time.monotonic()
    assert edit(free)[0] == 200
    figure("an edit of another part while one is held", (time.monotonic() - started) * 1000, "ms", 1000)
    figure("reading another part, slowest", max(times) * 1000, "ms", 1000)
    for thread in threads:
        thread.join(30)
    holder.wait(20)
    told = {(status, json.loads(body).get("kind")) for status, body in statuses}
    print(f"edits of the held part: {sorted(map(str, told))}")
    if not told <= {(503, "too_slow"), (200, None), (409, "conflict")}:
        faults.append("edits of the held part")


def stopped(server):
    """A page that is closed leaves no work behind."""
    recipe = json.loads((ROOT / "examples" / "wind-cup.json").read_text())
    part = server.make(recipe)
    for k in range(6):
        page = Page(server, part)
        page.socket.send(json.dumps({"do": "show", "ticket": 1, "version": 1, "edits": heavy_edit(recipe, k)}))
        time.sleep(0.02)
        page.socket.close()
    time.sleep(0.5)
    before = server.used()
    time.sleep(1)
    figure("processor time in the second after six pages were closed", server.used() - before, "s", 0.3)


def main():
    server = Server()
    try:
        parts = [light_beside_heavy, two_hostile_requests, rack, page_load, held_part, stopped, slow_readers]
        wanted = [word for word in sys.argv[1:] if not word.startswith("-")]
        for part in parts:
            if not wanted or part.__name__ in wanted:
                part(server)
    finally:
        server.stop()
    print(f"load: {len(faults)} beyond what is promised{': ' if faults else ''}{', '.join(faults)}")
    sys.exit(1 if faults else 0)


if __name__ == "__main__":
    main()
