"""Workers: processes on this machine, those of an engine with a real scheduler, and what happens when they die."""

import contextlib
import json
import os
import random
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import msgspec
import pytest

import comb
from comb.execution import cluster
from comb.execution.cluster import MOST_DEATHS, TaskQueue, Workers, open_workers
from comb.execution.working import Limits, working
from comb.interface.loading import load_within
from comb.reading.delimited.chunk_task import ChunkTask, read_chunk
from comb.reading.io.text_stream import FilePlace
from support.by_workers import SendingExecutor
from support.going_wrong import failing, marked, poisonous
from support.running import run_comb

ROWS = 700_000

PLAN = """\
source: visits.csv
steps:
  - {step: filter, where: kg > 2}
  - {step: calculate, columns: {half: kg / 2}}
rules:
  - {check: kg < 900}
save: tidy
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    place = tmp_path_factory.mktemp("shared")
    block = "".join(
        f'hive {at % 40},2026-05-{at % 28 + 1:02},{at % 90}.{at % 10},"calm, ""{at % 7}"""\n' for at in range(7000)
    )
    (place / "visits.csv").write_text("hive,day,kg,note\n" + block * (ROWS // 7000))
    (place / "plan.yaml").write_text(PLAN)
    return place


def in_processes(count: int) -> ProcessPoolExecutor:
    return ProcessPoolExecutor(count, mp_context=get_context("spawn"))


def saved(folder: Path, **asked: object) -> dict[str, bytes]:
    """What a run saves, file by file."""
    comb.Plan.load(folder / "plan.yaml").run(overwrite=True, **asked)  # type: ignore[arg-type]
    return {path.name: path.read_bytes() for path in sorted((folder / "tidy").iterdir())}


def test_a_plan_saves_the_same_bytes_whoever_reads(folder: Path) -> None:
    expected = saved(folder)
    assert len(expected) > 8
    with in_processes(2) as processes, ThreadPoolExecutor(2) as threads:
        for workers in (2, "2", processes, threads):
            assert saved(folder, workers=workers) == expected
        assert saved(folder, workers=threads, memory="150MB") == expected


def test_profile_and_commands_ask_workers(folder: Path) -> None:
    with in_processes(1) as workers:
        mine = comb.profile(folder / "visits.csv", workers=workers)
    assert [str(one) for one in mine.findings] == [str(one) for one in comb.profile(folder / "visits.csv").findings]
    for command in (("count", "visits.csv", "--by", "hive"), ("show", "visits.csv", "--largest", "kg"), ("run", "plan.yaml", "--dry-run", "--json")):  # fmt: skip
        alone = run_comb(*command, cwd=folder, fresh=True)
        shared = run_comb(*command, "--workers", "2", cwd=folder, fresh=True)
        assert (alone.code, alone.out) == (shared.code, shared.out.replace(" --workers 2", "")), shared.err
    small = run_comb("count", "small.csv", "--by", "a", "--workers", "1", cwd=_with_small(folder), fresh=True)
    assert small.code == 0 and "the workers had nothing to do: they read whole files of delimited text" in small.err


def _with_small(folder: Path) -> Path:
    (folder / "small.csv").write_text("a,b\n1,2\n")
    return folder


@pytest.mark.parametrize(
    ("asked", "message"),
    [
        (0, "expected one worker or more"),
        ("-3", "expected one worker or more"),
        ("many", "expected workers to be a number of processes, an address or an executor"),
        (True, "expected workers to be a number"),
        (2.5, "expected workers to be a number"),
    ],
)
def test_what_are_no_workers(folder: Path, asked: object, message: str) -> None:
    with pytest.raises(comb.ParameterError, match=message):
        comb.profile(folder / "visits.csv", workers=asked)


@pytest.mark.skipif(not hasattr(signal, "SIGKILL"), reason="processes are killed")
def test_workers_that_die(tmp_path: Path) -> None:
    with open_workers(2) as workers:
        assert workers is not None
        queue = TaskQueue(workers, marked, ((str(tmp_path), at) for at in range(9)), str)
        found = []
        while queue.head() is not None:
            found.append(queue.next())
        assert found == [at * 10 for at in range(9)]
        poison = TaskQueue(workers, poisonous, iter(range(9)), lambda task: f"piece {task}")
        assert [poison.next() for _ in range(5) if poison.head() is not None] == [0, 1, 2, 3, 4]
        with pytest.raises(comb.WorkersFailed, match=rf"^piece 5: a worker died of this piece, {MOST_DEATHS} times"):
            poison.next()
    with in_processes(1) as own:
        # Somebody else's processes are not started again.
        queue_of_own = TaskQueue(Workers(own, 1, "mine"), poisonous, iter([5]), lambda task: f"piece {task}")
        assert queue_of_own.head() == 5
        with pytest.raises(comb.WorkersFailed, match=r"^piece 5: the workers died of this piece"):
            queue_of_own.next()
    with ThreadPoolExecutor(1) as ended:
        pass
    queue_of_ended = TaskQueue(Workers(ended, 1, "mine"), poisonous, iter([1]), str)
    assert queue_of_ended.head() == 1
    with pytest.raises(comb.WorkersFailed, match="mine cannot be reached any more, or cannot do the work: cannot sch"):
        queue_of_ended.next()
    queue_of_failing = TaskQueue(Workers(SendingExecutor(), 1, "mine"), failing, iter([1]), str)
    queue_of_failing.head()
    with pytest.raises(comb.WorkersFailed, match="or cannot do the work: no more"):
        queue_of_failing.next()


def test_tasks_do_not_pile_up() -> None:
    given: list[int] = []
    queue = TaskQueue(Workers(SendingExecutor(), 3, "mine"), abs, (given.append(at) or at for at in range(100)), str)  # type: ignore[func-returns-value]
    while queue.head() is not None:
        assert len(given) <= queue.next() + 1 + 2 * 6
    assert given == list(range(100))


def test_a_worker_says_what_is_different_about_it(folder: Path, tmp_path: Path) -> None:
    state = (folder / "visits.csv").stat()
    place = FilePlace(str(folder / "visits.csv"), state.st_size, state.st_mtime_ns, 0)
    task = ChunkTask(place, 0, 100, exact=True, last=False, quote=b'"', reader=b"", version="0.0")
    with pytest.raises(
        comb.WorkersFailed, match=r"visits.csv, bytes 0 to 100: a worker has Comb .*, this process 0\.0"
    ):
        read_chunk(task)
    other = FilePlace(place.path, place.size + 1, place.modified, 0)
    with pytest.raises(comb.SourceUnreadable, match="a worker finds another file there"):
        other.read(0, 5)
    with pytest.raises(comb.SourceMissing, match=r"a worker does not find this file\n  give all machines one shared"):
        FilePlace(str(tmp_path / "none.csv"), 1, 1, 0).read(0, 1)


def children_of(process: int) -> int:
    """Count the processes that a process has started."""
    count = 0
    for place in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            count += place.read_text().rpartition(")")[2].split()[1] == str(process)
    return count


@pytest.mark.skipif(sys.platform != "linux", reason="who started whom is read in /proc")
def test_ctrl_c_ends_workers_too(folder: Path) -> None:
    words = [sys.executable, "-m", "comb", "profile", "visits.csv", "--workers", "2"]
    before = time.monotonic()
    process = subprocess.Popen(
        words, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True
    )
    until(lambda: children_of(process.pid) >= 2)
    os.killpg(process.pid, signal.SIGINT)
    _, errors = process.communicate(timeout=60)
    assert b"Traceback" not in errors and process.returncode in (0, 130, -signal.SIGINT), errors
    with pytest.raises(ProcessLookupError):
        for _ in range(200):
            os.killpg(process.pid, 0)
            time.sleep(0.1)
    assert time.monotonic() - before < 60


# An engine: a scheduler and workers that are started by its own commands.


def started(*words: str, cwd: Path) -> subprocess.Popen[bytes]:
    with (cwd / f"{words[0]}-{time.monotonic_ns()}.log").open("wb") as log:
        return subprocess.Popen([sys.executable, "-m", *words], cwd=cwd, stdout=log, stderr=log)


def until(known: Callable[[], object], seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while not known():
        assert time.monotonic() < end, "it did not start"
        time.sleep(0.1)


@pytest.fixture
def engine(tmp_path: Path) -> Iterator[tuple[str, subprocess.Popen[bytes], list[subprocess.Popen[bytes]]]]:
    pytest.importorskip("distributed")
    file = tmp_path / "scheduler.json"
    common = ("--scheduler-file", str(file), "--no-dashboard")
    scheduler = started("distributed.cli.dask_scheduler", *common, "--host", "127.0.0.1", "--port", "0", cwd=tmp_path)
    workers: list[subprocess.Popen[bytes]] = []
    try:
        until(lambda: file.exists() and file.stat().st_size)
        address = str(json.loads(file.read_text())["address"])
        workers += [
            started("distributed.cli.dask_worker", *common, "--nthreads", "1", "--no-nanny", cwd=tmp_path)
            for _ in range(2)
        ]
        from distributed import Client

        with Client(address, set_as_default=False) as client:
            client.wait_for_workers(2, timeout=60)
        yield address, scheduler, workers
    finally:
        for process in (*workers, scheduler):
            process.kill()
            process.wait()


@pytest.mark.filterwarnings("ignore")
def test_an_engine_with_a_worker_that_is_killed(
    folder: Path,
    engine: tuple[str, subprocess.Popen[bytes], list[subprocess.Popen[bytes]]],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    address, scheduler, workers = engine
    monkeypatch.setattr(cluster, "MOST_WAITING", 3)
    expected = saved(folder)
    assert saved(folder, workers=address) == expected
    from distributed import Client

    with Client(address, set_as_default=False) as client:
        assert saved(folder, workers=client) == expected
    # A worker goes at some moment while there are tasks.
    whole = comb.load(folder / "visits.csv")
    with working(0, limits=Limits(workers=address)) as resources:
        small = msgspec.structs.replace(resources, task_bytes=300_000)
        moment = threading.Timer(random.uniform(0.05, 0.4), workers[0].kill)
        moment.start()
        table = load_within(folder / "visits.csv", small)
        moment.join()
        assert table == whole and table.origin.checksum == whole.origin.checksum
        assert small.workers is not None and small.workers.asked > 80
    assert workers[0].wait(10) == -signal.SIGKILL
    plan = comb.Plan.load(folder / "plan.yaml")
    assert saved(folder, workers=address) == expected
    done = run_comb("count", "visits.csv", "--by", "hive", "--workers", address, cwd=folder, fresh=True)
    assert done.code == 0 and "hive 26  17500" in done.out
    with pytest.raises(comb.WorkersFailed, match=r"cannot be reached any more|has no workers"):
        plan.run(overwrite=True, workers=address, progress=lambda message: scheduler.kill())
    assert {path.name: path.read_bytes() for path in sorted((folder / "tidy").iterdir())} == expected
    with pytest.raises(comb.WorkersFailed, match="nobody answers"):
        comb.profile(folder / "visits.csv", workers="tcp://127.0.0.1:9")


def test_reading_with_workers_is_part_of_the_working_context(folder: Path) -> None:
    with working(0, limits=Limits(workers=1)) as resources:
        assert resources.workers is not None and resources.workers.count == 1
        executor = resources.workers.executor
    with pytest.raises(RuntimeError):
        executor.submit(abs, 1)
