"""Ramulus: how fast do players level? The answer before the game exists.

A designer sets what each level costs, what an award does at a threshold, what multiplies experience and how stats
grow; then simulates players of different skill and sees how fast each kind reaches each level.

    import ramulus as rm
    design = rm.load_design("canopy.toml")
    rm.level_table(design)
    result = rm.simulate(design, players=2000, seed=7)
    result.pace()
"""

__version__ = "0.1.0"


def __getattr__(name: str) -> object:
    """Import a public name when it is first used: `ramulus --help` and small scripts do not wait for pandas or Numba.

    Which there are says `__init__.pyi`. What reads that is loaded here and not above, so that the command, which is a
    part of this package, soon comes to where it hears an interrupt.
    """
    import lazy_loader

    find, names, every = lazy_loader.attach_stub(__name__, __file__)
    globals().update(__getattr__=find, __dir__=names, __all__=every)
    return every if name == "__all__" else find(name)


def __dir__() -> list[str]:
    return list(__getattr__("__all__"))  # type: ignore[call-overload]
