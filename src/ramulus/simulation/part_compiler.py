"""How the parts of kernels are compiled: into what a kernel takes in, and no further.

Numba makes machine code of every function that it compiles, and optimises it together with all that it calls: a part of
a part of a kernel would be optimised three times, and two times of them for nobody, as only kernels are called from
Python. What a part is here is taken in by its kernel as it was written, and all of it is optimised there, once. That
takes little more than half of the time, and lets the optimiser see a whole kernel: the demo's plays a quarter faster.
"""

from __future__ import annotations

from typing import Any

from numba.core.codegen import JITCodeLibrary
from numba.core.compiler import Compiler


class _NoMachineCode:
    """Stands where Numba tells a function's machine code where its environment is: there is no machine code."""

    @staticmethod
    def set_env(name: str, environment: Any) -> None:
        """Tell nobody."""


class _PartLibrary(JITCodeLibrary):
    """The code of a part, and of all that it calls."""

    codegen = _NoMachineCode

    def get_pointer_to_function(self, name: str) -> int:
        """Return that there is none."""
        self._ensure_finalized()
        return 0

    def _optimize_final_module(self) -> None:
        """Leave that to the kernel."""

    def _finalize_final_module(self) -> None:
        """Note that all is there, and hand nothing to the engine that makes machine code."""
        self._finalize_dynamic_globals()
        self._verify_declare_only_symbols()
        self._finalized = True


class PartCompiler(Compiler):
    """Numba's own compiler, with a library of its own kind for the code."""

    def define_pipelines(self) -> Any:
        """Return Numba's own steps."""
        state = self.state
        state.library = _PartLibrary(state.targetctx.codegen(), state.func_id.func_qualname)
        return super().define_pipelines()
