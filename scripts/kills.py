"""Edits under idempotency keys while things are killed. Started by scripts/kills. Python's own library only.

Of every edit exactly one of these must hold, by the part's history read afterwards:
  acknowledged           it is there, once
  'nothing was changed'  it is not there
  no answer, or 'it may have been saved'   sent again under its key, it is there once
"""

import http.client
import json
import os
import random
import re
import signal
import socket
import subprocess
import sys
import threading
import time
import uuid

COUNT = int(sys.argv[1])
PROGRAM = os.environ.get("KINDRED_SHELL", "target/debug/kindred-shell")
FOLDER, BIN, URL = os.environ["DATABASE_FOLDER"], os.environ["DATABASE_BIN"], os.environ["DATABASE_URL"]
DATABASE_PORT = re.search(r":(\d+)/", URL)[1]
WRITERS = 3
RECIPE = {"format": "kindred-shell-recipe", "version": 2, "name": "Begin", "steps": []}
dice = random.Random(int(os.environ.get("SEED", "1")))
told = {"acknowledged": 0, "nothing was changed": 0, "perhaps": 0, "no answer": 0, "other": 0}
faults = []


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


PORT = free_port()


def as_postgres(*command):
    command = list(command)
    if os.geteuid() == 0:
        command = ["runuser", "-u", "postgres", "--", *command]
    subprocess.run(command, cwd="/", check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def start_database():
    options = f"-p {DATABASE_PORT} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=60"
    as_postgres(f"{BIN}/pg_ctl", "-D", FOLDER, "-w", "-s", "-l", f"{FOLDER}/server.log", "-o", options, "start")


def start_server():
    server = subprocess.Popen([PROGRAM, "serve", "--port", str(PORT)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    assert "ready" in server.stdout.readline()
    return server


def ask(method, path, body=None, key=None):
    connection = http.client.HTTPConnection("127.0.0.1", PORT, timeout=30)
    try:
        headers = {"Content-Type": "application/json", **({"Idempotency-Key": key} if key else {})}
        connection.request(method, path, None if body is None else json.dumps(body), headers)
        answer = connection.getresponse()
        return answer.status, json.loads(answer.read() or b"null")
    finally:
        connection.close()


def patiently(*request, **more):
    """Until it is answered; for what is asked after things are up again."""
    for _ in range(100):
        try:
            status, body = ask(*request, **more)
            if status != 503:
                return status, body
        except (OSError, http.client.HTTPException):
            pass
        time.sleep(0.1)
    raise SystemExit(f"no answer to {request} any more")


class Writer:
    def __init__(self):
        self.part = patiently("POST", "/api/parts", RECIPE, key=str(uuid.uuid4()))[1]["id"]
        self.version, self.number, self.sent = 1, 0, []

    def write(self, stop):
        """Edits until something goes wrong or it is told to stop."""
        while not stop.is_set():
            self.number += 1
            name = f"Name {self.number}"
            key = str(uuid.uuid4())
            body = {"version": self.version, "edits": [{"edit": "rename_part", "name": name}]}
            try:
                status, answer = ask("POST", f"/api/parts/{self.part}/edits", body, key)
            except (OSError, http.client.HTTPException):
                self.sent.append((name, body, key, "no answer"))
                return
            if status == 200:
                self.version = answer["version"]
                self.sent.append((name, body, key, "acknowledged"))
                continue
            text = answer["error"]
            what = "nothing was changed" if "nothing was changed" in text else "perhaps" if "may have been saved" in text else "other"
            self.sent.append((name, body, key, what))
            if what == "other":
                faults.append(f"{self.part}: {status} {text}")
            if what != "nothing was changed":
                return
            time.sleep(0.02)

    def settle(self):
        """Looks whether what was answered is true, and sends again what had no sure answer."""

        def count(name):
            _, log = patiently("GET", f"/api/parts/{self.part}/history?most=1000")
            return sum(entry["label"] == f"Rename the part to {name}" for entry in log["entries"])

        for name, body, key, what in self.sent:
            told[what] += 1
            there = count(name)
            if what == "acknowledged" and there != 1:
                faults.append(f"acknowledged, and there {there} times: {name} of {self.part}")
            elif what == "nothing was changed" and there != 0:
                faults.append(f"'nothing was changed', and there: {name} of {self.part}")
            elif what in ("no answer", "perhaps"):
                status, answer = patiently("POST", f"/api/parts/{self.part}/edits", body, key=key)
                if status != 200 or count(name) != 1:
                    faults.append(f"sent again: {status} {answer}, there {count(name)} times: {name} of {self.part}")
        self.sent = []
        self.version = patiently("GET", f"/api/parts/{self.part}")[1]["version"]


def main():
    server = start_server()
    writers = [Writer() for _ in range(WRITERS)]
    kinds = {}
    for _ in range(COUNT):
        stop = threading.Event()
        threads = [threading.Thread(target=w.write, args=(stop,)) for w in writers]
        for thread in threads:
            thread.start()
        time.sleep(dice.uniform(0.02, 0.4))
        kind = dice.choice(["server", "database", "connections", "both"])
        kinds[kind] = kinds.get(kind, 0) + 1
        if kind in ("server", "both"):
            server.send_signal(signal.SIGKILL)
            server.wait()
        if kind in ("database", "both"):
            as_postgres(f"{BIN}/pg_ctl", "-D", FOLDER, "-m", "immediate", "-s", "stop")
            time.sleep(dice.uniform(0, 0.3))
            start_database()
        if kind == "connections":
            cut = "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE pid <> pg_backend_pid() AND datname = current_database()"
            subprocess.run([f"{BIN}/psql", URL, "-qtAc", cut], check=True, stdout=subprocess.DEVNULL)
        if server.poll() is not None:
            server = start_server()
        stop.set()
        for thread in threads:
            thread.join(60)
        for writer in writers:
            writer.settle()
    server.terminate()
    server.wait(10)
    print(f"kills: {COUNT} ({', '.join(f'{n} {k}' for k, n in sorted(kinds.items()))}); answers: {told}")
    for fault in faults[:20]:
        print(f"  {fault}")
    print(f"kills: {len(faults)} false answers")
    sys.exit(1 if faults else 0)


if __name__ == "__main__":
    main()
