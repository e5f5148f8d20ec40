"""Answers runs of awards with leveling.py: `ramulus conform FILE -- python harness.py`. Put your own game's calls in their place."""

import json
import sys

import leveling


def answer(request):
    ledger = leveling.Leveling(request["track"])
    states = [state(ledger)]
    for step in request["do"]:
        award = None
        if "award" in step:
            ledger.award(step["award"])
        elif "lose" in step:
            ledger.lose(step["lose"])
        elif "reload" in step:
            ledger = leveling.Leveling.load(json.loads(json.dumps(ledger.save())))
        else:
            told = {key: value for key, value in step.items() if key not in ("encounter", "xp", "success", "level")}
            source, won = step["encounter"], step["success"] == 1
            if ledger.track != "warden":
                award = leveling.skill_award_for(source, step["level"], won, **told)
            else:
                award = leveling.award_for(source, ledger.level, step["xp"], won, **told)
            ledger.award(award)
        states.append(state(ledger) | ({} if award is None else {"award": award}))
    return {"id": request["id"], "design": leveling.DESIGN, "states": states}


def state(ledger):
    return {"level": ledger.level, "xp": ledger.xp, "points": ledger.points, "wasted": ledger.wasted}


for line in sys.stdin:
    print(json.dumps(answer(json.loads(line))), flush=True)
