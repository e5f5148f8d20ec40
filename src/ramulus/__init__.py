"""Ramulus: how fast do players level? The answer before the game exists.

A designer sets what each level costs, what an award does at a threshold, what multiplies experience and how stats
grow; then simulates players of different skill and sees how fast each kind reaches each level.

    import ramulus as rm
    design = rm.load_design("canopy.toml")
    rm.level_table(design)
    result = rm.simulate(design, players=2000, seed=7)
    result.pace()
"""

import lazy_loader

__version__ = "0.1.0"

# Imported when first used, so that `ramulus --help` and small scripts do not wait for pandas, Matplotlib or Numba.
__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
