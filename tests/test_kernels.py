"""Kernels: how their arguments are laid out, and what is compiled once and found on disk by whoever comes later."""

import json
import random
import subprocess
import sys
import time
import warnings
from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

import numba
import numpy as np
import pytest

import ramulus as rm
from ramulus.results import beforehand
from ramulus.simulation import kernel_cache
from ramulus.simulation.announced import Announced
from ramulus.simulation.arguments import laid_out
from ramulus.simulation.compiled import SOURCES, Kernel, made_once
from ramulus.simulation.encounters import encounters_for
from ramulus.simulation.kernel import features_of, player_kernel
from ramulus.simulation.kernel_cache import KernelFile
from ramulus.simulation.machine_code import MissingSymbolError, load
from ramulus.simulation.world import make_stage


class Inner(NamedTuple):
    weights: np.ndarray
    scale: float
    on: bool


class Outer(NamedTuple):
    inner: Inner
    counts: np.ndarray
    none: np.ndarray
    number: int


def into(out, outer, grid, rows, flags, plus):
    """Take something of everything that it is given, so that what lies elsewhere gives another number."""
    for i in range(len(out)):
        out[i] = outer.inner.weights[i] * outer.inner.scale + outer.counts[i, 1] + len(outer.none) + outer.number
        out[i] += grid[i, 2] + 10 * grid.shape[1] + rows[i].much + rows[i].many + (1000 if flags[i] else 0)
        out[i] += (10_000.0 if outer.inner.on else 20_000.0) + plus[0] + plus[1] ** 0.5
    rows[0].many = 7


def arguments(order="C", on=True, dtype=np.float64, step=1):
    rows = np.zeros(3, np.dtype([("many", np.int64), ("much", np.float64)]))
    rows["many"], rows["much"] = (1, 2, 3), (0.5, 0.25, 0.125)
    weights = np.arange(3 * step, dtype=dtype)[::step]
    inner = Inner(weights, np.float64(2.5), np.bool_(on))
    counts, grid = np.arange(6, dtype=np.int32).reshape(3, 2), np.array(np.arange(12.0).reshape(3, 4), order=order)
    return (np.zeros(3), Outer(inner, counts, np.zeros(0), -4), grid, rows, np.array([True, False, True]), (3, 2.0))


@pytest.fixture
def kept(tmp_path, monkeypatch):
    """A folder for kernels, of which nothing has been said yet."""
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path / "kept"))
    monkeypatch.setattr(KernelFile, "said", False)
    return tmp_path / "kept"


ALL_KINDS = [{}, {"order": "F"}, {"on": False}, {"dtype": np.int16}, {"step": 2}]


def test_a_kernel_is_given_what_its_caller_gives(kept):
    """The same numbers as Python's own, from code that was compiled and from code that was found, for all layouts."""
    compiled, found = Kernel(into), Kernel(into)
    for kernel in (compiled, found):
        for kinds in ALL_KINDS:
            right, given = arguments(**kinds), arguments(**kinds)
            into(right[0], right[1], right[2], right[3].view(np.recarray), *right[4:])
            kernel(*given)
            np.testing.assert_array_equal(given[0], right[0])
            assert given[3]["many"].tolist() == [7, 2, 3]
    assert (compiled.compiled, found.compiled, len(list(kept.iterdir()))) == (4, 0, 4), "`on` is a number, no kind"


def test_other_kinds_of_arguments_are_called_otherwise():
    array = np.zeros((2, 3))
    fixed = array.copy()
    fixed.flags.writeable = False
    off = np.zeros(49, np.int8)[1:].view(np.float64)
    every = [array, fixed, off.reshape(2, 3), array.T, array[:, ::2], array[0], array.astype(">f8"), array.view(np.int64),
             np.zeros((2, 3), [("a", "f8")]), np.zeros((2, 3), [("b", "f8")]), 1, 1.0, True, (1, 1.0), (1.0, 1), ((1,), 1.0),
             Inner(array, 1.0, True), (array, 1.0, True), ()]  # fmt: skip
    assert len({laid_out([one])[0] for one in every}) == len(every)
    assert laid_out([1, np.int64(1)])[0] == laid_out([2, 3])[0] and laid_out([0.0])[0] == laid_out([np.float64(1)])[0]
    for refused in (2**63, None, "text", np.uint64(1), np.float32(1), [1]):
        with pytest.raises(TypeError, match="a kernel takes arrays, tuples and numbers of 64 bits, no "):
            laid_out([refused])


def test_a_kernel_that_returns_something_is_refused(kept):
    with pytest.raises(TypeError, match="not laid out as its caller lays it out"):
        Kernel(lambda out: out[0])(np.zeros(3))


def test_code_that_asks_for_what_is_not_there_is_not_run():
    with pytest.raises(MissingSymbolError, match="no_such_function"):
        load(b"", ["memset", "no_such_function"])


def plus_one(number, out):
    out[0] = number + 1


def one_more(kernel, number):
    out = np.zeros(1, np.int64)
    kernel(number, out)
    return out[0]


def damaged(data, how):
    if how == "swapped":  # A single byte in the middle, as a disk loses it.
        return data[: len(data) // 2] + bytes([data[len(data) // 2] ^ 255]) + data[len(data) // 2 + 1 :]
    return {"empty": b"", "cut": data[: len(data) // 2], "noise": random.Random(1).randbytes(len(data))}[how]


@pytest.mark.parametrize("how", ["empty", "cut", "noise", "swapped"])
def test_a_damaged_kernel_is_compiled_anew(kept, how):
    assert one_more(Kernel(plus_one), 1) == 2
    (file,) = kept.iterdir()
    file.write_bytes(damaged(file.read_bytes(), how))
    with pytest.warns(UserWarning, match="cannot be read .it is damaged.; it is compiled anew") as said:
        assert [one_more(Kernel(plus_one), number) for number in (1, 2)] == [2, 3]
    again = Kernel(plus_one)
    assert one_more(again, 3) == 4 and again.compiled == 0 and len(said) == 1


def test_what_is_kept_of_other_sources_is_compiled_anew(kept, monkeypatch):
    assert one_more(Kernel(plus_one), 1) == 2
    monkeypatch.setattr("ramulus.simulation.compiled.SOURCES", 1)
    for compiled in (1, 0):
        kernel = Kernel(plus_one)
        assert one_more(kernel, 1) == 2 and kernel.compiled == compiled and kernel.folders == {kept}
    assert len(list(kept.iterdir())) == 1, "what nobody needs any more is replaced"


def test_a_kernel_that_cannot_be_kept_is_used_all_the_same(kept, monkeypatch, tmp_path):
    kept.write_text("no folder")
    with pytest.warns(UserWarning, match="cannot be .*each run compiles it anew|cannot be read"):
        assert [one_more(Kernel(plus_one), number) for number in (1, 2)] == [2, 3]
    assert kept.read_text() == "no folder" and [path.name for path in tmp_path.iterdir()] == ["kept"]
    # Beside the package first; where that cannot be, in the user's own folder.
    monkeypatch.delenv("NUMBA_CACHE_DIR")
    monkeypatch.setattr(kernel_cache, "__file__", str(kept / "package.py"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "home"))
    kernel = Kernel(plus_one)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        assert one_more(kernel, 1) == 2
    (folder,) = kernel.folders
    assert tmp_path in folder.parents and len(list(folder.iterdir())) == 1


def test_what_is_compiled_is_said_once_and_what_is_kept_is_not(kept):
    def play_on(number, out):
        out[0] = number + 1

    said = []
    for _ in range(2):
        Announced.hook = lambda: said.append("compiling")
        assert one_more(Kernel(play_on), 4) == 5
    assert said == ["compiling"]
    Announced.hook = None


def test_threads_that_ask_together_compile_once(kept):
    kernel = Kernel(plus_one)
    with ThreadPoolExecutor(4) as threads:
        assert list(threads.map(one_more, [kernel] * 4, range(4))) == [1, 2, 3, 4] and kernel.compiled == 1


def test_who_finds_a_kernel_does_not_load_what_compiles_it():
    """And what was compiled asks for nothing that is not wherever Python is."""
    says = "import sys, ramulus as rm; rm.simulate(rm.demo_design(), 5); print('numba' in sys.modules)"
    for _ in range(2):
        ran = subprocess.run([sys.executable, "-c", says], capture_output=True, text=True, check=True)
    assert ran.stdout == "False\n"
    found = [path for folder in kernel_cache.folders() for path in folder.glob("*.kernel")]
    heads = [json.loads(next(iter(path.open("rb")))[4:]) for path in found]
    needs = {need for head in heads if head["made of"][0] == SOURCES for need in head["needs"]}
    of_c = "ceil exp floor fmod lgamma log log10 log1p log2 memcpy memmove memset pow rint sqrt trunc"
    assert "pow" in needs and needs <= set(of_c.split())


def test_a_kernel_is_made_once():
    made = made_once(lambda feature: time.sleep(0.05) or object())
    with ThreadPoolExecutor(4) as threads:
        assert len(set(threads.map(made, [1] * 4))) == 1 and made(2) is not made(1)


def test_who_forbids_compiling_is_told(kept, monkeypatch):
    monkeypatch.setattr(numba.config, "DISABLE_JIT", 1)
    with pytest.raises(rm.RamulusError, match="NUMBA_DISABLE_JIT is set, and a kernel is not compiled yet"):
        one_more(Kernel(plus_one), 1)


def test_what_is_compiled_apart_can_meet_in_one_process():
    """It is found by name: `.ci/run` compiles each kernel in a process of its own, then runs the tests."""
    every = beforehand.KINDS
    for made in (encounters_for, lambda needs: player_kernel(needs).function):
        assert len({made(needs).__qualname__ for needs in every}) == len(every)


def test_compiling_beforehand_asks_for_every_kernel_and_says_where_they_are(cli, monkeypatch):
    """All of it is done by `.ci/run`; here it is what each part asks for, and what is said."""
    for task, needs in enumerate(beforehand.KINDS):
        stage = make_stage(beforehand.design_for(needs), "steady", 1, 10)
        assert features_of(stage, logged=needs.logged) == needs and beforehand.TASKS[task][1] == (needs,)
    asked = [1, *range(len(beforehand.KINDS), len(beforehand.TASKS))]
    done = [beforehand.done(task) for task in asked]
    assert [task for task, _, _ in done] == asked and all(folders for _, _, folders in done)
    again = [beforehand.done(task) for task in asked]
    assert [compiled for _, compiled, _ in again] == [0] * 4
    found = {"kept": beforehand.Compiled(11, 9, True, frozenset({"/far/away"})),
             "lost": beforehand.Compiled(11, 11, False, frozenset())}  # fmt: skip
    for name, status, said in (
        ("kept", 0, "9 of 11 kernels compiled, "), ("lost", 1, "nothing can be written beside the package or in your home"),
    ):  # fmt: skip
        monkeypatch.setattr(beforehand, "compile_beforehand", lambda name=name: found[name])
        ran = cli("compile")
        assert ran.status == status and said in ran.err and not ran.out
