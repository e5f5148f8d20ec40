"""A game in Python that makes the mistakes it is told to: `python wrong_game.py TRACKS.json MISTAKE…`; it answers runs."""

import json
import sys
from pathlib import Path

from ramulus.game.mistaken import Game
from ramulus.game.pack import GatePack, TrackPack

tracks = {track["name"]: TrackPack(**{**track, "costs": tuple(track["costs"]), "granted": tuple(track["granted"]), "gates": tuple(GatePack(**gate) for gate in track["gates"])})
          for track in json.loads(Path(sys.argv[1]).read_text(encoding="utf-8"))}  # fmt: skip
for line in sys.stdin:
    asked = json.loads(line)
    if any("encounter" in step for step in asked["do"]):
        break  # It knows none.
    game = Game(tracks[asked["track"]], sys.argv[2:])
    states = game.does([(kind, max(units, 0)) for step in asked["do"] for kind, units in step.items()])
    told = [{"level": state.level, "xp": state.xp, "points": state.points} for state in states]
    print(json.dumps({"id": asked["id"], "states": told}), flush=True)
