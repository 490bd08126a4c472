"""Work of the workers over real HTTP: begun and asked for, stopped, taken up from a worker that hangs or is killed."""

import json
import os
import signal
import subprocess
import sys
import time
import urllib.request

import pytest

from pamble.core.exchange.step import read_step
from pamble.store.folder import database_port
from pamble.store.postgres import LocalPostgres
from tests.conftest import ROOT
from tests.server.test_live import ask, children


@pytest.fixture
def study(pamble):
    return json.loads(ask(pamble, "/studies", {"demo": "mirror-cap-front"})[1])["id"]


def begun(pamble, path):
    request = urllib.request.Request(f"{pamble.url}/api{path}", headers={"Prefer": "respond-async"})
    with urllib.request.urlopen(request) as answer:
        assert answer.status == 202
        return json.loads(answer.read())["id"]


def told(pamble, job):
    return json.loads(ask(pamble, f"/jobs/{job}")[1])


def until(pamble, job, *states, seconds=90):
    end = time.monotonic() + seconds
    while (now := told(pamble, job))["state"] not in states:
        assert time.monotonic() < end, now
        time.sleep(0.02)
    return now


def worker_of(pamble):
    """The worker beside the server, which begins some seconds after it."""
    for _ in range(300):
        for pid in children(pamble.process.pid):
            with open(f"/proc/{pid}/cmdline") as line:
                if "-m\0pamble.work\0" in line.read():
                    return pid
        time.sleep(0.1)
    return None


def test_work_is_begun_asked_for_and_its_file_fetched(pamble, study, tmp_path):
    job = begun(pamble, f"/studies/{study}/export.step")
    done = until(pamble, job, "done", "failed")
    assert (done["state"], done["share"], done["result"]) == ("done", 1.0, None)
    path = tmp_path / "cap.step"
    path.write_bytes(ask(pamble, f"/jobs/{job}/file")[1])
    faces = sum(item.face is not None for item in read_step(path))
    check = until(pamble, begun(pamble, f"/studies/{study}/check"), "done", "failed")
    assert check["result"]["faces"] == faces > 3
    assert check["result"] == json.loads(ask(pamble, f"/studies/{study}/check")[1])
    assert check["result"]["problems"] == []
    assert ask(pamble, f"/jobs/{'0' * 32}")[0] == 404


def test_what_is_stopped_ends_and_the_worker_goes_on(pamble, study):
    job = begun(pamble, f"/studies/{study}/check")
    until(pamble, job, "working")
    assert ask(pamble, f"/jobs/{job}", method="DELETE")[0] == 204
    now = until(pamble, job, "stopped", "done")
    assert (now["state"], now["message"]) == ("stopped", "Stopped. Nothing was changed.")
    assert until(pamble, begun(pamble, f"/studies/{study}/export.json"), "done", "failed")["state"] == "done"


def test_work_of_a_worker_that_hangs_is_taken_up_by_another_elsewhere(pamble, study):
    frozen = worker_of(pamble)
    job = begun(pamble, f"/studies/{study}/check")
    until(pamble, job, "working")
    os.kill(frozen, signal.SIGSTOP)
    # A worker that knows nothing but the database's address.
    url = LocalPostgres(pamble.folder, database_port(pamble.folder)).url.replace("+psycopg", "")
    command = [sys.executable, "-m", "pamble.work"]
    other = subprocess.Popen(command, cwd=ROOT, env={**os.environ, "PAMBLE_DATABASE": url})
    try:
        done = until(pamble, job, "done", "failed")
        assert done["state"] == "done"
    finally:
        os.kill(frozen, signal.SIGCONT)
        other.terminate()
        other.wait(20)
    assert other.returncode == 0
    # What the first one makes of it now is not heard, and it works on.
    assert until(pamble, begun(pamble, f"/studies/{study}/export.step"), "done", "failed")["state"] == "done"


def test_a_killed_worker_is_begun_again_and_its_job_done(pamble, study):
    killed = worker_of(pamble)
    job = begun(pamble, f"/studies/{study}/check")
    until(pamble, job, "working")
    os.kill(killed, signal.SIGKILL)
    assert until(pamble, job, "done", "failed")["state"] == "done"
    assert worker_of(pamble) not in (None, killed)
