"""Load object code and call it: LLVM alone, without the compiler that made it."""

from __future__ import annotations

import ctypes
import os
from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import cache
from threading import Lock
from typing import Any

import llvmlite.binding as llvm

from ramulus.simulation.arguments import Words

DOOR = "ramulus_kernel"  # The function that object code is called by: it takes the words of all arguments.
_lock = Lock()
_engines: list[Any] = []  # Code is there for as long as its engine is.


class MissingSymbolError(Exception):
    """Object code asks for what this process does not have."""


@cache
def _ready() -> bool:
    with suppress(RuntimeError):  # Newer ones do it by themselves, and say so.
        llvm.initialize()
    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    return True


@cache
def processor() -> str:
    """Return what object code is made for; two that differ in it cannot run each other's."""
    _ready()
    with suppress(RuntimeError):
        features = llvm.get_host_cpu_features().flatten()
        asked = [os.environ.get(name, "") for name in ("NUMBA_CPU_NAME", "NUMBA_CPU_FEATURES", "NUMBA_OPT")]
        return " ".join((llvm.get_process_triple(), llvm.get_host_cpu_name(), features, *asked))
    return str(llvm.get_process_triple())


def load(code: bytes, needs: Sequence[str]) -> Callable[[Words], None]:
    """Return what calls object code: it is given the words of all arguments.

    Args:
        code: the object code, of this very processor.
        needs: what it calls of the platform's libraries.

    Raises:
        MissingSymbolError: some of that is not there.
    """
    _ready()
    with _lock:
        engine = llvm.create_mcjit_compiler(
            llvm.parse_assembly(""), llvm.Target.from_default_triple().create_target_machine(opt=3, jit=True)
        )
        # An engine opens what the process has loaded; asking it for what is not there ends the process.
        missing = [name for name in needs if llvm.address_of_symbol(name) is None]
        if missing:
            raise MissingSymbolError(f"no {', '.join(missing)}")
        engine.add_object_file(llvm.ObjectFileRef.from_data(code))
        engine.finalize_object()
        _engines.append(engine)
    call = ctypes.CFUNCTYPE(ctypes.c_int32, ctypes.c_void_p)(engine.get_function_address(DOOR))

    def called(words: Words) -> None:
        ended = call(words.ctypes.data)
        if ended not in (0, -2):  # -2 is Numba's word for a function that returns nothing.
            raise RuntimeError(f"a kernel failed ({ended})")

    return called
