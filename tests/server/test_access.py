"""A Pamble that is reached from other machines: nobody without an account, and no study but by its owner's leave."""

import asyncio
import io
import json
import re

import httpx
import pytest
from sqlalchemy.exc import OperationalError
from websockets.sync.client import connect

from pamble.cli.main import main
from pamble.server.access import Need, SignIn, need
from pamble.server.app import schema
from pamble.server.throttle import Throttle
from tests.conftest import RunningPamble, peopled

PASSWORDS = {"olive": "a long password", "bay": "another password", "fern": "one more password"}


@pytest.fixture(scope="module")
def reached():
    """Pamble, beyond loopback, with an administrator and two more accounts."""
    running = RunningPamble(False, "--host", "0.0.0.0", "--no-demo")
    peopled(running.folder, PASSWORDS)
    running.start()
    yield running
    running.close()


def browser(reached, name: str | None = None) -> httpx.Client:
    """Somebody's browser, signed in."""
    client = httpx.Client(base_url=reached.url, follow_redirects=True, timeout=60)
    if name:
        given = {"name": name.title(), "password": PASSWORDS[name]}
        assert client.post("/api/sign-in", json=given).status_code == 204
    return client


def study_of(client: httpx.Client) -> str:
    return client.post("/api/studies", json={"name": "Jug"}).json()["id"]


def socket_of(client: httpx.Client, id: str):
    cookie = "; ".join(f"{k}={v}" for k, v in client.cookies.items())
    address = f"{client.base_url}/api/studies/{id}/live".replace("http:", "ws:").replace("//api", "/api")
    return connect(address, additional_headers={"Cookie": cookie}, max_size=None)


def answer(socket, message: dict) -> dict:
    socket.send(json.dumps(message))
    while True:
        got = socket.recv()
        if isinstance(got, str) and json.loads(got).get("seq") == message["seq"]:
            return json.loads(got)


def said(client: httpx.Client, id: str, message: dict | None = None) -> dict:
    """What the live socket answers, to a message or on entering."""
    with socket_of(client, id) as socket:
        first = json.loads(socket.recv())
        return first if message is None else answer(socket, message)


RENAME = {"type": "commit", "seq": 7, "base": 0, "op": {"op": "set_study", "name": "Ewer"}}


def test_no_route_answers_who_is_not_signed_in_and_none_is_forgotten(reached):
    nobody = browser(reached)
    answered = set()
    for path, methods in schema()["paths"].items():
        for method in methods:
            address = re.sub(r"\{\w+\}", "x", path)
            if nobody.request(method, address, json={}).status_code != 401:
                answered.add(f"{method} {path}")
    assert answered == {"get /api/who", "post /api/sign-in", "post /api/sign-out"}
    for path in ("/metrics", "/openapi.json", "/docs"):
        assert "version" not in nobody.get(path).text
    assert nobody.get("/metrics").status_code == 401
    assert said(nobody, "x")["code"] == "sign-in"
    assert nobody.get("/api/who").json() == {
        "needed": True, "name": None, "admin": False, "linked": None, "role": None
    }  # fmt: skip


def test_a_study_is_its_owners_and_guests_work_on_it_and_do_not_delete_it(reached):
    bay, fern, olive = (browser(reached, name) for name in ("bay", "fern", "olive"))
    id = study_of(bay)
    assert [s["role"] for s in bay.get("/api/studies").json()] == ["own"]
    assert fern.get("/api/studies").json() == []
    for method, path in (("GET", "/export.json"), ("DELETE", ""), ("GET", "/sharing"), ("PUT", "/thumbnail?version=0")):
        assert fern.request(method, f"/api/studies/{id}{path}").status_code == 404
    assert said(fern, id)["code"] == "missing"
    assert bay.post(f"/api/studies/{id}/sharing/guests", json={"name": "nobody"}).json()["code"] == "account"
    assert bay.post(f"/api/studies/{id}/sharing/guests", json={"name": "Fern"}).json()["guests"] == ["fern"]
    assert [s["role"] for s in fern.get("/api/studies").json()] == ["change"]
    assert said(fern, id, RENAME)["type"] == "state"
    assert fern.delete(f"/api/studies/{id}").status_code == 403
    assert fern.get(f"/api/studies/{id}/sharing").status_code == 403
    assert id in [s["id"] for s in olive.get("/api/studies").json()]
    with socket_of(fern, id) as window:
        assert json.loads(window.recv())["study"]["name"] == "Ewer"
        assert bay.delete(f"/api/studies/{id}/sharing/guests/fern").json()["guests"] == []
        assert "no longer open to you: nothing was stored" in answer(window, RENAME | {"base": 1})["message"]
    assert fern.get(f"/api/studies/{id}/export.json").status_code == 404
    assert bay.get("/metrics").status_code == 403
    assert "pamble_" in olive.get("/metrics").text
    assert bay.delete(f"/api/studies/{id}").status_code == 204


def test_by_a_link_a_study_is_looked_at_and_not_changed_until_it_is_taken_back(reached):
    bay, passer = browser(reached, "bay"), browser(reached)
    id, other = study_of(bay), study_of(bay)
    link = bay.post(f"/api/studies/{id}/sharing/link").json()["link"]
    assert passer.get("/look/not-a-link").url.path == "/"
    assert passer.get(link).url.path == f"/study/{id}"
    assert passer.get(f"/api/studies/{id}/export.json").status_code == 200
    assert passer.get(f"/api/who?study={id}").json()["role"] == "look"
    assert [s["id"] for s in passer.get("/api/studies").json()] == [id]
    assert passer.get(f"/api/studies/{other}/export.json").status_code == 401
    assert passer.put(f"/api/studies/{id}/thumbnail?version=1", content=b"x").json()["code"] == "read-only"
    assert passer.post("/api/studies", json={"name": "Mine"}).status_code == 401
    assert said(passer, id, RENAME)["code"] == "read-only"
    assert said(passer, id)["study"]["name"] == "Jug"
    assert bay.delete(f"/api/studies/{id}/sharing/link").json()["linked"] is False
    assert passer.get(f"/api/studies/{id}/export.json").status_code == 401


def test_accounts_are_made_and_end_by_command(reached, capsys, monkeypatch):
    def said(stdin: str, *words: str) -> str:
        monkeypatch.setattr("sys.stdin", io.StringIO(stdin))
        code = main(["account", *words, "--data", str(reached.folder)])
        got = capsys.readouterr()
        return got.err if code else got.out

    assert "at least 10 characters" in said("short\n", "add", "moss")
    assert "moss\n" in said("quite long enough\n", "add", "Moss")
    assert "an account moss already" in said("quite long enough\n", "add", "moss")
    moss = httpx.Client(base_url=reached.url)
    given = {"name": "moss", "password": "quite long enough"}
    assert moss.post("/api/sign-in", json=given).status_code == 204
    assert "moss" not in said("", "remove", "moss")
    assert moss.get("/api/studies").status_code == 401
    assert "There is no account moss" in said("", "remove", "moss")
    assert "olive, administrator" in said("", "list")
    assert "a name is of letters" in said("quite long enough\n", "add", "no such name!").lower()


def test_sessions_end_cookies_cannot_be_made_and_other_sites_get_nothing(reached):
    fern, again = browser(reached, "fern"), browser(reached, "fern")
    kept = dict(fern.cookies)
    assert fern.post("/api/sign-out").status_code == 204
    assert httpx.get(f"{reached.url}/api/studies", cookies=kept).status_code == 401
    assert again.get("/api/studies").status_code == 200
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("sys.stdin", io.StringIO("a new password\n"))
        assert main(["account", "password", "fern", "--data", str(reached.folder)]) == 0
    PASSWORDS["fern"] = "a new password"
    assert again.get("/api/studies").status_code == 401
    session = browser(reached, "fern").cookies["pamble-session"]
    value, sign = session.rsplit(".", 1)
    for forged in (value, f"{value}.{sign[::-1]}", f"{value[::-1]}.{sign}", "x.y", ""):
        assert httpx.get(f"{reached.url}/api/studies", cookies={"pamble-session": forged}).status_code == 401
    own = {"Cookie": f"pamble-session={session}"}
    assert httpx.get(f"{reached.url}/api/studies", headers=own).status_code == 200
    assert httpx.get(f"{reached.url}/api/studies", headers=own | {"Origin": "http://elsewhere.test"}).status_code == 403


def test_guesses_are_slowed_whether_there_is_such_an_account_or_not(reached):
    for name in ("olive", "nobody"):
        nobody = httpx.Client(base_url=reached.url)
        words = [
            nobody.post("/api/sign-in", json={"name": name, "password": f"guess number {k}"}).json()["message"]
            for k in range(7)
        ]
        assert words[0] in ("This name and password do not go together.", words[-1])
        assert "Too many wrong passwords: try again in" in words[-1]
        right = {"name": name, "password": PASSWORDS.get(name, "anything at all")}
        assert "Too many" in nobody.post("/api/sign-in", json=right).json()["message"]
    browser(reached, "bay")


def test_waits_grow_and_are_forgotten_when_the_password_is_right(monkeypatch):
    now = [0.0]
    monkeypatch.setattr("pamble.server.throttle.time.monotonic", lambda: now[0])
    guesses, waits, keys = Throttle(), [], {"olive from here": 5, "from here": 25}
    for _ in range(20):
        guesses.wrong(keys)
        waits.append(guesses.wait(keys))
        now[0] += waits[-1]
    assert waits[:4] == [0, 0, 0, 0]
    assert waits[4:9] == [1, 2, 4, 8, 16]
    assert max(waits) == 300
    guesses.right(keys)
    assert guesses.wait(keys) == 0
    # The address has made nineteen all the same.
    for _ in range(6):
        guesses.wrong({"from here": 25})
    assert guesses.wait(keys) == 1


def test_what_a_request_needs():
    assert need("GET", "/study/x") == Need("nothing")
    assert need("GET", "/api/studies/x/live") == Need("study", "x", "look")
    assert need("POST", "/api/studies/x/step") == Need("study", "x", "change")
    assert need("DELETE", "/api/studies/x") == Need("study", "x", "own")
    assert need("POST", "/api/studies/import") == Need("account")
    assert need("GET", "/api/anything/new") == Need("known")


def test_without_an_administrator_nobody_else_reaches_it(capfd):
    lonely = RunningPamble(False, "--host", "0.0.0.0")
    with pytest.raises(AssertionError, match="ended while starting"):
        lonely.start()
    assert "needs an administrator: make one with bin/pamble account add NAME --admin" in capfd.readouterr().err


def test_while_the_database_is_gone_nobody_is_let_in_and_it_is_said():
    class Gone:
        def who(self, scope):
            raise OperationalError("", {}, ConnectionError("gone"))

    sent = []

    async def send(message):
        sent.append(message)

    scope = {"type": "http", "method": "GET", "path": "/api/studies", "headers": []}
    asyncio.run(SignIn(None, Gone())(scope, None, send))
    assert sent[0]["status"] == 503
    assert b"What was stored is safe" in sent[1]["body"]
