"""Awards, the bar, a save, and a save of an older design: python play.py"""

import json

from leveling import Leveling, award_for

warden = Leveling()


def show():
    full = round(20 * warden.progress)
    print(f"[{'#' * full}{'.' * (20 - full)}] {warden.label}")


show()
for units in (40, 400, award_for("bark_borer", 7, 34, True, on=["blossom week"])):
    change = warden.award(units)
    print(f"+{units} XP, {change.level_after - change.level_before} levels, {change.points:g} points")
    show()
warden.buy("keen_edge")
print(f"shear {warden.stat('shear'):.2f}")
text = json.dumps(warden.save())
warden = Leveling.load(json.loads(text))
show()

# When levels cost more: the level stays, and XP that would pay for it now is held below its cost.
older = json.loads(text) | {"rules": "older", "level": 9, "peak_level": 9, "xp": 700}
warden = Leveling.load(older)
show()
