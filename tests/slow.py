"""Parties played slowly, in plain Python over `rm.Ledger`: written from the rules, to judge the kernels by.

`SlowParty` draws from Python's own generator and computes its design by hand, so it can only agree within chance; players
and parties of the very draws that the kernels make are in `plain.py`.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

import ramulus as rm

# --- a party ---------------------------------------------------------------------------------------------------

# Weak blight for the young, strong blight for who is past level 5, a graft that practises a skill.
PARTY_DESIGN = {
    "format": 1,
    "title": "party",
    "tracks": {
        "warden": {"max_level": 25, "cost": {"formula": "60 + 25 * level"}},
        "grafting": {"max_level": 6, "cost": {"formula": "4 * level"}},
    },
    "sources": {
        "weak": {"level": 2, "xp": {"low": 20, "high": 30}, "seconds": 20, "to_level": 12},
        "strong": {"level": 9, "xp": "40 + 3 * level", "seconds": 45, "success": 0.7, "from_level": 6, "weight": 2},
        "graft": {
            "level": 4,
            "xp": {"one_of": [[10, 0.5], [60, 0.5]]},
            "seconds": "40 - 3 * skill_level",
            "skill": "grafting",
            "skill_xp": 1,
            "from_level": 3,
            "limit": 40,
        },
    },
    "encounter": {"variation": 0.4, "failure": {"extra_seconds": 15, "xp_share": 0.2, "loss": 0.05}},
    "multipliers": [
        {"name": "outgrown", "factor": "clip(1 - 0.1 * gap, 0.1, 1)"},
        {"name": "catch-up", "against": "level / leader_level", "bands": [[0.4, 6.0], [0.8, 3.0], [0.95, 1.5]]},
    ],
    "players": {"quick": {"seconds_between": 5, "spread": 0.3}, "slow": {"seconds_between": 20}},
}


def party_design(members: dict[str, tuple[str, int]], **party: object) -> rm.Design:
    """The design of `SlowParty` with some members: profile and start level by name."""
    about = {name: {"player": player, "start_level": level} for name, (player, level) in members.items()}
    return rm.Design.from_dict({**PARTY_DESIGN, "party": {"members": about, **party}})


@dataclass
class SlowParty:
    """One party of `PARTY_DESIGN`, by page and pencil."""

    design: rm.Design
    random: random.Random
    hours: float = 0.0
    used: int = 0
    ledgers: dict[str, rm.Ledger] = field(default_factory=dict)
    skills: dict[str, rm.Ledger] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.party = self.design.party
        for name, member in self.party.members.items():
            self.ledgers[name] = rm.Ledger(self.design, level=member.start_level)
            self.skills[name] = rm.Ledger(self.design, "grafting")
        spread = {name: float(self.design.players[m.player].spread) for name, m in self.party.members.items()}
        self.own = {name: math.exp(sigma * self.random.gauss(0, 1)) for name, sigma in spread.items()}

    def leader(self) -> str:
        if self.party.leader != "highest":
            return self.party.leader
        return max(self.ledgers, key=lambda name: (self.ledgers[name].level, self.ledgers[name].xp))

    def encounter(self) -> None:
        lead = self.leader()
        level, skill = self.ledgers[lead].level, self.skills[lead].level
        open_here = {"weak": 1.0} if level <= 12 else {}
        open_here |= {"strong": 2.0} if level >= 6 else {}
        open_here |= {"graft": 1.0} if level >= 3 and self.used < 40 else {}
        source = self.random.choices(list(open_here), list(open_here.values()))[0]
        won = self.random.random() < (0.7 if source == "strong" else 1.0)
        seconds = {"weak": 20.0, "strong": 45.0, "graft": 40.0 - 3 * skill}[source]
        seconds *= self.random.gammavariate(0.4**-2, 0.4**2)
        between = float(self.design.players[self.party.members[lead].player].seconds_between)
        self.hours += (seconds + (0 if won else 15) + between) * self.own[lead] / 3600
        drawn = {"weak": self.random.randint(20, 30), "strong": None, "graft": self.random.choice([10, 60])}[source]
        self.used += source == "graft" and won
        for name in [lead, *(name for name in self.ledgers if name != lead)]:
            self.share(name, lead, level, source, drawn, won)

    def share(self, name: str, lead: str, leader_level: int, source: str, drawn: int | None, won: bool) -> None:
        ledger = self.ledgers[name]
        amount = 40 + 3 * ledger.level if drawn is None else drawn
        if self.party.share == "split":
            amount /= len(self.ledgers)
        gap = ledger.level - {"weak": 2, "strong": 9, "graft": 4}[source]
        plain = min(max(1 - 0.1 * gap, 0.1), 1)
        ratio = ledger.level / leader_level
        boost = 6.0 if ratio <= 0.4 else 3.0 if ratio <= 0.8 else 1.5 if ratio <= 0.95 else 1.0
        part = 1 if won else 0.2
        boosted, bare = (math.floor(amount * factor * part) for factor in (plain * boost, plain))
        if not won and ledger.level < ledger.max_level:
            ledger.lose(math.floor(0.05 * ledger.cost))
        if self.party.hold_below_leader and name != lead:
            top = (self.ledgers[lead].level, self.ledgers[lead].xp)
            while boosted > bare and self.after(ledger, boosted) > top:
                boosted -= 1
        ledger.award(boosted)
        if source == "graft":
            self.skills[name].award(1 if won else 0)

    def after(self, ledger: rm.Ledger, amount: int) -> tuple[int, float]:
        probe = rm.Ledger(self.design, level=ledger.level, xp=ledger.xp)
        probe.award(amount)
        return probe.level, probe.xp
