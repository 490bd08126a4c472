"""Jobs on a real database: stored with their place in the queue, tried again, stopped, answered once."""

import psycopg
import pytest

from pamble.core.errors import PambleError
from pamble.store.database import open_database
from pamble.store.jobs import Jobs, TooMuch


@pytest.fixture
def jobs(database_url):
    return Jobs(open_database(database_url))


def test_an_answer_is_given_once(jobs):
    id = jobs.put("step", "cap.step", b"file", [["Rim"]])
    taken = jobs.take(id)
    assert (taken.kind, taken.name, taken.data, taken.arguments, taken.attempt) == (
        "step", "cap.step", b"file", [["Rim"]], 1,
    )  # fmt: skip
    assert jobs.tell(taken, 0.25)
    assert (jobs.standing(id).state, jobs.standing(id).share) == ("working", 0.25)
    assert jobs.finish(taken, {"taken": 3}, b"bytes")
    assert jobs.answer(id) == ({"taken": 3}, b"bytes")
    assert jobs.standing(id) is None
    with pytest.raises(PambleError, match="no longer there"):
        jobs.answer(id)


def test_only_the_worker_that_took_it_last_is_heard(jobs):
    id = jobs.put("step", "cap.step", b"file")
    slow, quick = jobs.take(id), jobs.take(id)
    assert (slow.attempt, quick.attempt) == (1, 2)
    assert not jobs.tell(slow, 0.9)
    assert not jobs.finish(slow, "late")
    assert jobs.finish(quick, "in time")
    assert jobs.answer(id)[0] == "in time"


def test_what_ends_worker_after_worker_is_given_up(jobs):
    id = jobs.put("mesh", "ball.stl", b"file")
    assert [jobs.take(id).attempt for _ in range(3)] == [1, 2, 3]
    assert jobs.take(id) is None
    assert (jobs.standing(id).state, jobs.standing(id).code) == ("failed", "exchange")
    assert "ball.stl: the worker ended at it 3 times" in jobs.standing(id).words


def test_a_job_that_fell_out_of_the_queue_is_put_back(jobs, database_url):
    id, young = jobs.put("check", "Cap"), jobs.put("check", "Cap")
    with psycopg.connect(database_url.replace("+psycopg", "")) as connection:
        connection.execute("update jobs set made = now() - interval '1 minute' where id = %s", [id])
        connection.execute("delete from procrastinate_jobs")
    assert jobs.mend() == [id]
    assert jobs.mend() == []
    assert jobs.take(id).attempt == 1
    assert [jobs.stop(x) for x in (id, young)] == [True, True]


def test_what_is_stopped_is_not_taken_and_what_is_done_not_stopped(jobs):
    waiting, working, done = (jobs.put("check", "Cap") for _ in range(3))
    held, over = jobs.take(working), jobs.take(done)
    jobs.finish(over, {})
    assert [jobs.stop(id) for id in (waiting, working, done)] == [True, True, False]
    assert jobs.take(waiting) is None
    assert not jobs.finish(held, {})
    assert jobs.answer(done) == ({}, b"")
    assert not jobs.stop("0" * 32)


def test_a_queue_that_is_full_says_so(jobs):
    put = []

    def fill():
        for _ in range(80):
            put.append(jobs.put("check", "Cap"))

    with pytest.raises(TooMuch, match="more work waiting"):
        fill()
    assert all(jobs.stop(id) for id in put)
    assert jobs.stop(jobs.put("check", "Cap"))
