"""What a running Pamble survives: a database that is gone, a window that reads nothing, pages from elsewhere."""

import asyncio
import json
import os
import signal
import time
import urllib.error
import urllib.request

import pytest
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from pamble.server.hub import Hub, NotStored
from pamble.server.kernels import KernelLost
from pamble.server.messages import StudyState
from pamble.store.database import open_database
from pamble.store.studies import Studies
from pamble.study.document import Study
from pamble.study.ledger_packing import LEDGER
from tests.server.test_live import MOVE, Window, ask
from tests.study.slabs import DECK, TRIM, WALL, adds, face

FEATURES = [face("deck", "Deck", DECK), face("wall", "Wall", WALL)]
SLABS = Study.model_validate({"name": "Slabs", "features": FEATURES}).model_dump(mode="json")


@pytest.fixture
def study(pamble):
    return json.loads(ask(pamble, "/studies", {"demo": "mirror-cap"})[1])["id"]


class Listener:
    """A window without a socket."""

    id = "w"

    def __init__(self):
        self.states = []

    def send_state(self, state: StudyState, frame: bytes) -> None:
        self.states.append((state, frame))

    def send_progress(self, share: float) -> None:
        pass


class Failing(Studies):
    """A store that loses its database after it has stored, before, or altogether."""

    when = "never"

    def append(self, *given):
        if self.when == "before":
            raise ConnectionError("gone")
        out = super().append(*given)
        if self.when == "after":
            raise ConnectionError("gone")
        return out

    def load(self, id):
        if self.when != "never":
            raise ConnectionError("gone")
        return super().load(id)


@pytest.mark.parametrize("when", ["before", "after"])
def test_a_kernel_is_never_ahead_of_the_store(database_url, when):
    store = Failing(open_database(database_url))
    id = store.create(SLABS)

    async def story():
        hub = Hub(store)
        try:
            study, window = await hub.open(id), Listener()
            await hub.enter(study, window)
            store.when = when
            with pytest.raises(NotStored, match="look whether this step is there"):
                await study.commit(window, 1, 0, adds(TRIM))
            # While the database is gone nothing can be changed, and nothing is added on top of what is not sure.
            with pytest.raises(NotStored, match="does not answer"):
                await study.commit(window, 2, 0, adds(TRIM))
            store.when = "never"
            document = await study.ask("document")
            kept = store.load(id)
            assert [f["id"] for f in document["features"]] == [f["id"] for f in kept.document["features"]]
            assert ("t" in {f["id"] for f in document["features"]}) == (when == "after")
            assert window.states[-1][0].reason == "reload"
            await study.commit(window, 3, study.stored.version, {"op": "set_study", "name": "Other"})
            steps = 2 if when == "after" else 1
            for n in range(steps):
                await study.step(window, 10 + n, study.stored.version, -1)
            assert study.stored.document["features"] == kept.document["features"][:2]
        finally:
            hub.close()

    asyncio.run(story())


def test_a_kernel_that_hangs_is_replaced_and_one_that_was_ended_says_so(database_url):
    store = Studies(open_database(database_url))
    id = store.create(SLABS)

    async def story():
        hub = Hub(store)
        try:
            study = await hub.open(id)
            before = study.kernel
            before.silent = 0.5
            os.kill(before.pid, signal.SIGSTOP)
            with pytest.raises(KernelLost, match="started again from what is stored"):
                await study.ask("document")
            assert [f["id"] for f in (await study.ask("document"))["features"]] == ["deck", "wall"]
            assert study.kernel.pid != before.pid
            await hub.remove(id)
            with pytest.raises(KernelLost, match="was ended"):
                await study.kernel.call("document")
        finally:
            hub.close()

    asyncio.run(story())


def test_opening_again_runs_nothing_and_a_refused_step_is_not_there(database_url):
    store = Studies(open_database(database_url))
    id = store.create(SLABS)

    async def story():
        hub = Hub(store)
        try:
            study, window = await hub.open(id), Listener()
            await hub.enter(study, window)
            await study.commit(window, 1, 0, adds(TRIM))
            with pytest.raises(Exception, match="is there already"):
                await study.commit(window, 2, 1, adds(TRIM))
            assert store.load(id).version == 1
            assert set(store.results(id)) - {LEDGER} == {"t"}
        finally:
            hub.close()

    asyncio.run(story())


def test_a_study_that_is_expected_is_opened_and_let_go_of_when_nobody_comes(database_url):
    store = Studies(open_database(database_url))
    id = store.create(SLABS)

    async def story():
        hub = Hub(store, linger=0.2)
        try:
            hub.expect("gone")
            hub.expect(id)
            async with asyncio.timeout(30):
                while not (expected := hub.shown(id)):
                    await asyncio.sleep(0.02)
            assert await hub.open(id) is expected
            async with asyncio.timeout(30):
                while hub.shown(id):
                    await asyncio.sleep(0.02)
            window = Listener()
            await hub.enter(await hub.open(id), window)
            assert window.states[0][0].reason == "opened"
        finally:
            hub.close()

    asyncio.run(story())


def test_every_message_has_one_answer_with_its_number(pamble, study):
    w = Window(pamble, study)
    assert w.send(type="paint", seq=41)["seq"] == 41
    assert w.send(type="commit", seq=42, base=0, op={"op": "paint"})["seq"] == 42
    preview = {"type": "preview", "seq": 43, "op": MOVE}
    commit = {"type": "commit", "seq": 44, "base": 0, "op": MOVE}
    # Previews and a commit in one tick: a preview is shown or passed over, never left without a word; one at rest is
    # stopped by what comes next, which it never stops itself.
    for message in (preview, {**preview, "seq": 45}, {**preview, "seq": 47, "rest": True}, commit):
        w.socket.send(json.dumps(message))
    answered = {}
    while len(answered) < 4:
        message = w.receive()
        answered[message["seq"]] = message["type"]
    assert set(answered) == {43, 44, 45, 47}
    assert answered[44] == "state"
    assert w.send(type="cancel", seq=46) == {"type": "passed", "seq": 46}


def test_a_window_that_reads_nothing_keeps_no_other_waiting(pamble, study):
    slow, quick = Window(pamble, study), Window(pamble, study)
    slow.socket.socket.settimeout(None)
    for _ in range(12):
        quick.commit(MOVE)
        undone = quick.send(type="undo", base=quick.state["version"])
        assert undone["type"] == "state"
    assert quick.state["version"] == 24


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"Origin": "http://elsewhere.example"}, 403),
        ({"Origin": "null"}, 403),
        ({"Host": "elsewhere.example"}, 403),
        ({"Sec-Fetch-Site": "cross-site"}, 403),
        ({"Sec-Fetch-Site": "same-origin"}, 200),
    ],
)
def test_only_own_pages_are_answered(pamble, headers, status):
    request = urllib.request.Request(f"{pamble.url}/api/studies", headers=headers)
    try:
        found = urllib.request.urlopen(request).status
    except urllib.error.HTTPError as error:
        found = error.code
    assert found == status


def test_a_socket_from_elsewhere_is_refused(pamble, study):
    url = pamble.url.replace("http", "ws") + f"/api/studies/{study}/live"
    with pytest.raises(InvalidStatus):
        connect(url, origin="http://elsewhere.example", compression=None)
    connect(url, origin=pamble.url, compression=None).close()


def test_a_study_that_is_gone_is_said_once_and_closed(pamble):
    socket = connect(pamble.url.replace("http", "ws") + "/api/studies/none/live", compression=None)
    assert json.loads(socket.recv(timeout=20))["message"] == "This study is no longer there."
    with pytest.raises(Exception, match="4004"):
        socket.recv(timeout=20)


def test_a_database_that_dies_is_started_again_and_work_goes_on(pamble, study):
    window = Window(pamble, study)
    window.commit(MOVE)
    time.sleep(1)  # the tests' database writes late
    pid = int((pamble.folder / "db" / "postmaster.pid").read_text().split()[0])
    os.kill(pid, signal.SIGKILL)
    started = time.monotonic()
    while ask(pamble, "/studies")[0] != 200:
        assert time.monotonic() - started < 60, "the database stays dead"
        time.sleep(0.2)
    again = Window(pamble, study)
    assert again.state["version"] == 1
    answer = again.commit(MOVE)
    assert answer["type"] == "state", answer
    assert again.state["version"] == 2


def test_how_it_fares_is_told_in_the_common_text_format(pamble, study):
    def figures():
        text = urllib.request.urlopen(f"{pamble.url}/metrics", timeout=20).read().decode()
        rows = (line.rsplit(" ", 1) for line in text.splitlines() if not line.startswith("#"))
        return {name: float(value) for name, value in rows}

    before = figures()
    w = Window(pamble, study)
    w.send(type="commit", seq=1, base=0, op=MOVE)
    w.send(type="commit", seq=2, base=0, op=MOVE)
    after = figures()
    assert after["pamble_commit_seconds_count"] == before["pamble_commit_seconds_count"] + 1
    assert after['pamble_refused_total{code="conflict"}'] >= 1
    assert after["pamble_open_studies"] >= 1
    assert after["pamble_windows"] >= 1
    assert after["pamble_kernel_bytes"] > 5e7
    w.socket.close()
