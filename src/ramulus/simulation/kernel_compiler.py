"""Compile a kernel with Numba, to object code that whoever calls it needs no Numba for.

Numba makes machine code of every function that it compiles, and optimises it together with all that it calls: a part of
a part of a kernel would be optimised three times, and two times of them for nobody, as only kernels are called from
Python. What a part is here is taken in by its kernel as it was written, and all of it is optimised there, once. That
takes little more than half of the time, and lets the optimiser see a whole kernel: the demo's plays a quarter faster.

A kernel's machine code is made here, too, with a door in front of it: a function that takes all arguments as one
array of words (`arguments.py`), so that a process that finds the code on disk only loads it (`machine_code.py`).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

import llvmlite.binding as llvm
import numba
from numba import njit, typeof
from numba.core import types
from numba.core.codegen import JITCodeLibrary
from numba.core.compiler import Compiler

from ramulus.errors import RamulusError
from ramulus.simulation.jitted import tell_numba_of_parts
from ramulus.simulation.machine_code import DOOR

# What is asked of a platform's own mathematics and memory, where a processor has no instruction for it.
_OF_PLATFORM = re.compile(
    r"llvm\.(ceil|cos|exp|exp2|floor|fma|log|log10|log2|mem\w+|nearbyint|pow|rint|round|sin|trunc)\b"
)
_NAMED = re.compile(r'@"?([\w.$]+)"?\(')


class _NoMachineCode:
    """Stands where Numba tells a function's machine code where its environment is: there is no machine code."""

    @staticmethod
    def set_env(name: str, environment: Any) -> None:
        """Tell nobody."""


class _Unloaded(JITCodeLibrary):
    """The code of a function, and of all that it calls, which is not made machine code in this process."""

    codegen = _NoMachineCode

    def get_pointer_to_function(self, name: str) -> int:
        """Return that there is none."""
        self._ensure_finalized()
        return 0

    def _finalize_final_module(self) -> None:
        """Note that all is there, and hand nothing to the engine that makes machine code."""
        self._finalize_dynamic_globals()
        self._verify_declare_only_symbols()
        self._finalized = True


class _PartLibrary(_Unloaded):
    def _optimize_final_module(self) -> None:
        """Leave that to the kernel."""


class _KernelLibrary(_Unloaded):
    def object_code(self, name: str) -> tuple[bytes, list[str]]:
        """Return the object code of a function of this library behind a door, and what of the platform it calls."""
        module = self._final_module.clone()
        called = set(_NAMED.findall(re.sub(r"(?m)^declare .*", "", str(module))))
        # Linked, not read back from text: LLVM shortens long names as it reads them, until two are one.
        door = llvm.parse_assembly(_door(name, [str(one.type) for one in module.get_function(name).arguments]))
        door.triple, door.data_layout = module.triple, module.data_layout
        module.link_in(door)
        module.verify()
        asked = {one.name for one in module.functions if one.is_declaration and one.name in called}
        platform = [_OF_PLATFORM.match(one) for one in asked]
        needs = {found[1] for found in platform if found} | {one for one in asked if not one.startswith("llvm.")}
        return self._codegen._tm.emit_object(module), sorted(needs)


def _door(name: str, parameters: Sequence[str]) -> str:
    """Return a function that takes the arguments of another one as words, as LLVM is told of it.

    The first two of Numba's own are where to put what is returned, and an error; a kernel has neither.
    """
    opaque = "ptr" in parameters  # Since LLVM 15 pointers do not say what to.

    def to(kind: str) -> str:
        return "ptr" if opaque else f"{kind}*"

    lines = [f'declare i32 @"{name}"({", ".join(parameters)})', f"define i32 @{DOOR}({to('i64')} %words) {{"]
    for place, kind in enumerate(parameters):
        if place < 2:
            pointed = "ptr" if opaque else kind.removesuffix("*")
            lines.append(f"%a{place} = alloca {pointed}")
            continue
        lines.append(f"%w{place} = getelementptr i64, {to('i64')} %words, i64 {place - 2}")
        lines.append(f"%p{place} = bitcast {to('i64')} %w{place} to {to(kind)}")
        lines.append(f"%a{place} = load {kind}, {to(kind)} %p{place}")
    given = ", ".join(f"{kind} %a{place}" for place, kind in enumerate(parameters))
    return "\n".join([*lines, f'%ended = call i32 @"{name}"({given})', "ret i32 %ended", "}"])


class PartCompiler(Compiler):
    """Numba's own compiler, with a library of its own kind for the code."""

    library: type[_Unloaded] = _PartLibrary

    def define_pipelines(self) -> Any:
        """Return Numba's own steps."""
        state = self.state
        state.library = self.library(state.targetctx.codegen(), state.func_id.func_qualname)
        return super().define_pipelines()


class _KernelCompiler(PartCompiler):
    library = _KernelLibrary


def object_code(function: Callable[..., Any], arguments: Sequence[Any], words: int) -> tuple[bytes, list[str]]:
    """Compile a kernel for arguments like some, to object code, and say what of the platform it calls.

    A kernel runs without the interpreter's lock, and divides as NumPy does. It makes no arrays, so nobody counts who
    still needs one (`_nrt`): counting, at each array that comes out of a tuple or is handed on, costs more than an
    encounter.

    Args:
        function: what is compiled; it returns nothing.
        arguments: what it is to be called with.
        words: how many words these are.

    Raises:
        RamulusError: Numba is told to compile nothing.
        TypeError: what is compiled returns something, or is laid out otherwise.
    """
    if getattr(numba.config, "DISABLE_JIT", 0):
        raise RamulusError("NUMBA_DISABLE_JIT is set, and a kernel is not compiled yet; allowed: to compile it once")
    tell_numba_of_parts(PartCompiler)
    only_from_door: dict[str, Any] = {"_nrt": False, "no_cfunc_wrapper": True, "no_cpython_wrapper": True}
    compiler = njit(nogil=True, error_model="numpy", pipeline_class=_KernelCompiler, **only_from_door)(function)
    kinds = tuple(typeof(one) for one in arguments)
    compiler.compile(kinds)
    made = compiler.overloads[kinds]
    name, library = made.fndesc.llvm_func_name, made.library
    if made.signature.return_type is not types.none or len(list(library.get_function(name).arguments)) != words + 2:
        raise TypeError(f"{function.__qualname__} is not laid out as its caller lays it out")
    code: tuple[bytes, list[str]] = library.object_code(name)
    return code
