"""Every known mistake on the demo, the second example and random designs: caught by a vector, or truly not to be told.

    python benchmarks/mistakes.py [DESIGNS] [AWARDS]       # 30 and 100,000: a quarter of an hour

A mistake that the vectors leave out is looked for again, in runs by another chance than theirs, with gates opened anywhere,
parts of an XP and amounts up to 2^34; one that shows there is printed, and the script fails.
"""

from __future__ import annotations

import random
import sys
from collections import Counter
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import game_runs
import ramulus as rm
from ramulus.game.mistaken import AWARD, LOSE, OPEN, RELOAD, Game
from ramulus.game.mistakes import MISTAKES
from ramulus.game.pack import TrackPack
from ramulus.game.packing import pack_of
from ramulus.game.vectors import Vectors, mistakes_of, vectors_of

LENGTH = 25
SECOND = Path(__file__).parent.parent / "examples" / "into_the_game" / "canopy_hard.toml"


def runs(track: TrackPack, awards: int) -> Iterator[list[tuple[str, int]]]:
    """Yield runs by chance."""
    dice = random.Random(f"apart from the vectors {track.name} {track.costs}")
    for _ in range(awards // LENGTH):
        steps = []
        for _ in range(LENGTH):
            near = sum(dice.choices(track.costs, k=dice.randint(1, 3))) + dice.randint(-2, 2)
            units = dice.choice([near, near, dice.randint(0, 3 * max(track.costs)), 1, 2 ** dice.randint(20, 34) + 1])
            steps.append((dice.choice([AWARD, AWARD, AWARD, LOSE, RELOAD]), max(units, 0)))
        for gate in track.gates:
            if dice.random() < 0.9:
                steps.insert(dice.randint(0, LENGTH), (OPEN, gate.at_level))
        yield steps


def shows(track: TrackPack, code: str, awards: int, level_only: bool) -> bool:
    """Return whether some run tells a mistake."""
    for steps in runs(track, awards):
        for one, two in zip(Game(track).does(steps), Game(track, [code]).does(steps), strict=True):
            if one.level != two.level or (not level_only and one[:4] != two[:4]):
                return True
    return False


def looked_at(design: rm.Design, track: TrackPack, awards: int, counts: Counter[str]) -> Iterator[str]:
    """Yield the mistakes on a track that vectors do not catch and some run tells."""
    for level_only in (False, True):
        found: Vectors = vectors_of(track, level_only=level_only)
        caught = {code for one in found.chosen for codes in one.catches.values() for code in codes}
        assert caught | set(found.untold) == set(mistakes_of(track))
        counts["caught"] += len(caught)
        for code, why in found.untold.items():
            counts["proved not to be told" if not why.startswith("not found") else "not found"] += 1
            if code in MISTAKES and shows(track, code, awards, level_only):
                yield f"{design.title}, {track.name}, level only: {level_only}: {code} shows, and was said not to: {why}"


def main(designs: int, awards: int) -> int:
    """Look at some designs; return how many mistakes were missed."""
    some = [rm.demo_design(), rm.load_design(SECOND)]
    seed = 0
    while len(some) < designs + 2:
        with suppress(rm.DesignError):  # Its "add" rules come to less than nothing.
            some.append(game_runs.game_design(seed))
        seed += 1
    counts: Counter[str] = Counter()
    missed = [line for one in some for track in pack_of(one).tracks for line in looked_at(one, track, awards, counts)]
    print(f"{len(some)} designs, {sum(len(one.tracks) for one in some)} tracks:", dict(counts))
    print("\n".join(missed) or "none that is left out shows")
    return len(missed)


if __name__ == "__main__":
    sys.exit(min(main(*(int(word) for word in (sys.argv[1:] or ["30", "100000"]))), 1))
