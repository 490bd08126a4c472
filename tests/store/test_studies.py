"""The store on a real database: versions, undo without end, conflicts."""

import pytest

from pamble.core.errors import Conflict, StudyError
from pamble.store.database import open_database
from pamble.store.studies import Studies


@pytest.fixture(scope="module")
def store(database_url):
    return Studies(open_database(database_url))


def document(name: str, features: int = 0) -> dict:
    return {"name": name, "features": [{"id": str(i)} for i in range(features)]}


def test_history_is_a_line_with_a_position(store):
    id = store.create(document("a"))
    for n in range(1, 4):
        stored = store.append(id, n - 1, {"do": n}, {"undo": n}, document("a", n))
    assert (stored.version, stored.can_undo, stored.can_redo) == (3, True, False)
    assert store.step(id, -1) == {"undo": 3}
    assert store.moved(id, 3, -1, document("a", 2)).can_redo
    assert store.step(id, -1) == {"undo": 2}
    assert store.step(id, 1) == {"do": 3}
    store.append(id, 4, {"do": "new"}, {"undo": "new"}, document("b", 9))
    with pytest.raises(StudyError, match="nothing to redo"):
        store.step(id, 1)
    assert store.step(id, -1) == {"undo": "new"}
    again = store.load(id)
    assert (again.version, again.document["name"], again.can_redo) == (5, "b", False)
    line = next(s for s in store.listed() if s.id == id)
    assert (line.name, line.features, line.version) == ("b", 9, 5)


def test_a_stale_version_is_refused_and_changes_nothing(store):
    id = store.create(document("a"))
    store.append(id, 0, {}, {}, document("first"))
    with pytest.raises(Conflict):
        store.append(id, 0, {}, {}, document("second"))
    assert store.load(id).document["name"] == "first"
    assert store.load(id).version == 1


def test_a_deleted_study_is_gone_with_its_operations(store):
    id = store.create(document("a"))
    store.append(id, 0, {}, {}, document("a"))
    store.remove(id)
    for call in (lambda: store.load(id), lambda: store.remove(id), lambda: store.step(id, -1)):
        with pytest.raises(StudyError, match="no longer there"):
            call()


def test_opening_the_database_again_keeps_what_is_there(store, database_url):
    id = store.create(document("kept"))
    assert Studies(open_database(database_url)).load(id).document["name"] == "kept"


def test_a_study_like_one_that_is_there_takes_its_results_over(store):
    document = {"name": "Twin", "features": [{"id": "a", "params": {"x": 1.5}}]}
    first = store.create(document)
    store.keep(first, {"a": ("key", b"made")})
    assert store.results(store.create(document)) == {"a": ("key", b"made")}
    assert store.results(store.create({**document, "features": []})) == {}
    with pytest.raises(StudyError, match="no longer there"):
        store.keep("gone", {"a": ("key", b"made")})


def test_assets_belong_to_their_study_and_go_with_it(store):
    one, two = store.create(document("a"), {"m": b"mesh"}), store.create(document("b"))
    store.add_asset(one, "p", b"picture")
    store.add_asset(one, "p", b"another under the same name")
    assert store.assets(one) == {"m": b"mesh", "p": b"picture"}
    assert store.assets(one, "p") == {"p": b"picture"}
    assert store.assets(two) == {}
    store.remove(one)
    assert store.assets(one) == {}
    with pytest.raises(StudyError, match="no longer there"):
        store.add_asset(one, "p", b"late")
