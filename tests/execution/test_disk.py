"""Where arrays are kept: files without a name, what is refused, how memory and disk are chosen between."""

import contextlib
import gzip
import pickle
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest

import comb
from comb.execution.disk import DiskStorage, file_system_of, mapped_bytes, temporary_folder
from comb.execution.memory import bytes_of, check_memory, container_free
from comb.execution.storage import MEMORY
from comb.execution.working import Limits, Notice, working
from comb.reading.io.source_file import HeldSource, size_of
from support.on_disk import storage_in
from support.running import run_comb

LINUX = pytest.mark.skipif(sys.platform != "linux", reason="what the system tells of memory is Linux's")


def test_arrays_in_files_without_a_name(tmp_path: Path) -> None:
    with DiskStorage(tmp_path, 100_000_000) as storage:
        arrays = [storage.empty(count, kind) for count in (0, 5, 70_000, 40_000_000) for kind in (np.int64, np.uint8)]
        for number, array in enumerate(arrays):
            array[:] = number
        storage.release()
        for number, array in enumerate(arrays):
            assert len(array) == (0, 5, 70_000, 40_000_000)[number // 2] and (array == number).all()
            assert array.ctypes.data % 8 == 0 and storage.holds(array[1:])
        assert [storage.holds(np.zeros(count)) for count in (10, 100_000)] == [True, False]
        assert not list(tmp_path.iterdir())
    # What was made is still there when the work is done.
    assert int(arrays[-1][-1]) == 7 and int(arrays[4].sum()) == 4 * 70_000


@LINUX
def test_pages_of_files_do_not_stay_in_memory(tmp_path: Path) -> None:
    before = mapped_bytes()
    assert before is not None
    with DiskStorage(tmp_path, 100_000_000) as storage:
        array = storage.empty(50_000_000, np.int64)
        array[:] = 3
        storage.release()
        assert (mapped_bytes() or 0) - before < 30_000_000
        assert int(array[::1_000_000].sum()) == 150


def test_a_storage_is_memory_after_pickling(tmp_path: Path) -> None:
    storage = storage_in(tmp_path)
    assert pickle.loads(pickle.dumps(storage)) is MEMORY and pickle.loads(pickle.dumps(MEMORY)) is MEMORY
    table = comb.table(columns={"a": [1, None], "b": ["x", "y"]})
    table._storage = storage
    again = pickle.loads(pickle.dumps(table._stored()))
    assert again.equals(table) and again._storage is MEMORY


def test_a_full_disk_and_a_folder_that_is_none(tmp_path: Path) -> None:
    with pytest.raises(comb.NotEnoughSpace, match=r"has no 1000000\.0 GB left.*\n  another folder"):
        DiskStorage(tmp_path, 100_000_000).empty(10**15, np.uint8)
    assert not list(tmp_path.iterdir())
    with pytest.raises(comb.ParameterError, match="no such folder for temporary files"):
        DiskStorage(tmp_path / "none", 100_000_000)
    if file_system_of(Path("/dev/shm")) == "tmpfs":
        with pytest.raises(comb.ParameterError, match=r"would go into memory there \(tmpfs\)"):
            DiskStorage(Path("/dev/shm"), 100_000_000)
    assert temporary_folder(tmp_path) == tmp_path and temporary_folder(None).is_dir()


@pytest.mark.parametrize(
    ("text", "size"),
    [("2GB", 2 * 10**9), ("1.5 gb", 1_500_000_000), ("500MB", 500_000_000), ("300m", 300_000_000), (10**9, 10**9),
     ("1 TiB", 10**12), ("200000 KB", 200_000_000)],
)  # fmt: skip
def test_amounts_of_memory(text: str | int, size: int) -> None:
    assert bytes_of(text) == size


@pytest.mark.parametrize("text", ["", "much", "-2GB", "2 XB", "GB", "1e9", "50MB", 0])
def test_no_amounts_of_memory(text: str | int) -> None:
    with pytest.raises(comb.ParameterError, match="expected memory to be"):
        bytes_of(text)


@pytest.mark.parametrize(
    ("size", "times", "memory", "on_disk"),
    [(10**9, 2.0, "1GB", True), (10**9, 2.0, "3GB", False), (10**9, 4.5, "3GB", True), (0, 4.5, "100MB", False),
     (40_000_000, 4.5, "100MB", True), (40_000_000, 100_000.0, None, False)],
)  # fmt: skip
def test_the_choice_between_memory_and_disk(
    size: int, times: float, memory: str | None, on_disk: bool, tmp_path: Path
) -> None:
    said: list[str] = []
    with working(size, times, Limits(memory, tmp_path), said.append) as resources:
        assert resources.storage.on_disk is on_disk and resources.times_memory == times
    assert bool(said) is on_disk
    if said:
        assert isinstance(said[0], Notice) and "working on disk; needs about" in said[0] and str(tmp_path) in said[0]


def test_too_little_room_is_said_before_any_work(tmp_path: Path) -> None:
    with (
        pytest.raises(comb.NotEnoughSpace, match=r"of memory, 100 MB may be used; on disk it needs about"),
        working(10**16, 2.0, Limits("100MB", tmp_path)),
    ):
        pass
    with pytest.raises(comb.ParameterError, match="no such folder"), working(5, 2.0, Limits(None, tmp_path / "none")):
        pass


GROUPS = {
    "no groups": ({}, None),
    "no limit": ({"memory.max": "max", "memory.current": "5"}, None),
    "version 2": ({"memory.max": "1000", "memory.current": "600", "memory.stat": "anon 3\ninactive_file 100\n"}, 500),
    "above": ({"../memory.max": "700", "../memory.current": "400", "memory.max": "max", "memory.current": "9"}, 300),
    "used up": ({"memory.max": "100", "memory.current": "600"}, 0),
}


@pytest.mark.parametrize("name", GROUPS)
def test_the_limit_of_a_container(name: str, tmp_path: Path) -> None:
    files, expected = GROUPS[name]
    inner = tmp_path / "groups" / "outer" / "inner"
    inner.mkdir(parents=True)
    for file, text in files.items():
        (inner / file).write_text(f"{text}\n")
    (tmp_path / "cgroup").write_text("0::/outer/inner\n")
    assert container_free(tmp_path / "groups", tmp_path / "cgroup") == expected


def test_the_limit_of_an_older_container(tmp_path: Path) -> None:
    inner = tmp_path / "groups" / "memory" / "box"
    inner.mkdir(parents=True)
    (inner / "memory.limit_in_bytes").write_text("5000")
    (inner / "memory.usage_in_bytes").write_text("1000")
    (tmp_path / "cgroup").write_text("9:cpu,cpuacct:/box\n4:memory:/box\n")
    assert container_free(tmp_path / "groups", tmp_path / "cgroup") == 4000
    assert container_free(tmp_path, tmp_path / "nothing") is None


def test_memory_that_is_given_is_what_there_is() -> None:
    check_memory(10**9, 2, "big.csv", 3 * 10**9)
    with pytest.raises(comb.NotEnoughMemory, match=r"needs about 2\.0 GB of memory, 1\.0 GB may be used"):
        check_memory(10**9, 2, "big.csv", 10**9)


@LINUX
def test_a_run_within_150_megabytes(tmp_path: Path) -> None:
    """200 MB are filtered, calculated with and saved, measured from outside: memory, and the same bytes."""
    block = "".join(
        f"{number % 977},2026-{number % 12 + 1:02d}-{number % 28 + 1:02d},colony {number % 53},{number % 400 / 10:.1f},"
        f"note {number * 7919 % 100_003} of the day\n"
        for number in range(100_000)
    )
    with (tmp_path / "visits.csv").open("w") as stream:
        stream.write("hive,day,colony,kg,note\n")
        while stream.tell() < 200_000_000:
            stream.write(block)
    (tmp_path / "plan.yaml").write_text(
        "source: visits.csv\nsteps:\n  - {step: filter, where: kg < 38}\n  - {step: calculate, columns: {g: kg * 1000}}\n"
        "  - {step: recode, column: colony, values: {colony 7: seven}}\nsave: {to: tidy, report: false}\n"
    )
    command = [sys.executable, "-m", "comb", "run", "plan.yaml", "--as-of", "2026-05-01"]
    most = 0
    with (tmp_path / "told").open("w+") as stream:
        small = subprocess.Popen([*command, "--memory", "150MB"], cwd=tmp_path, stderr=stream)
        while small.poll() is None:
            with contextlib.suppress(OSError, IndexError):
                status = Path(f"/proc/{small.pid}/status").read_text()
                most = max(most, int(status.split("VmHWM:")[1].split()[0]))
            time.sleep(0.01)
        stream.seek(0)
        told = stream.read()
    assert small.returncode == 0 and "150 MB may be used: working on disk" in told, told
    assert most < 300_000, f"{most:,} KB"
    (tmp_path / "tidy").rename(tmp_path / "small")
    subprocess.run(command, cwd=tmp_path, check=True, capture_output=True)
    files = {path.name: path.read_bytes() for path in (tmp_path / "tidy").iterdir()}
    assert files == {path.name: path.read_bytes() for path in (tmp_path / "small").iterdir()} and len(files) > 10


def test_how_much_text_there_is_in_sources(tmp_path: Path) -> None:
    text = b"a,b\n" + b"1,2\n" * 5_000
    with zipfile.ZipFile(tmp_path / "two.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("one.csv", text)
        archive.writestr("other.csv", b"a\n1\n")
    (tmp_path / "one.csv").write_bytes(text)
    (tmp_path / "one.csv.gz").write_bytes(gzip.compress(text))
    (tmp_path / "one.json").write_bytes(b'[{"a": 1}]' + b" " * 90_000)
    comb.table(columns={"a": [1]}).save(tmp_path / "one.xlsx")
    packed = (tmp_path / "one.csv.gz").stat().st_size
    sizes = {
        "one.csv": len(text), "two.zip": len(text), "one.csv.gz": 6 * packed, "one.json": 153_017, "one.xlsx": 0,
        "none.csv": 0, "one.csv*": len(text) + 6 * packed,
    }  # fmt: skip
    assert {name: size_of(tmp_path / name) for name in sizes} == sizes
    assert size_of([tmp_path / "one.csv", tmp_path / "one.xlsx"]) == size_of(HeldSource("x.csv", text)) == len(text)
    # Nothing is said of a disk where all fits into memory.
    ran = run_comb("count", "one.json", "--by", "a", "--memory", "100MB", cwd=tmp_path, fresh=True)
    assert ran.code == 0 and "on disk" not in ran.err
