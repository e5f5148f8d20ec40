"""Players and parties played slowly, in plain Python over `rm.Ledger`: written from the rules, to judge the kernels by.

`slow_player` makes the very draws that the kernel makes, so both must come to the same award by award. `SlowParty`
draws from Python's own generator and computes its design by hand, so it can only agree within chance.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

import numpy as np

import ramulus as rm
from ramulus.rules.pay import paid_xp
from ramulus.rules.rounding import ROUNDING_CODES
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_laws import drawn_xp, xp_tables
from ramulus.simulation import draws
from ramulus.simulation.times import time_at, time_table

# --- one player ------------------------------------------------------------------------------------------------


def slow_player(
    design: rm.Design, profile: str, number: int, seed: int, hours: float
) -> dict[str, list[tuple[float, int]]]:
    """Return played seconds and encounters by which a player first reached each level of each track it came to."""
    tabulation = tabulated(design)
    tables, columns, xp = tabulation.profile(profile, number % 15), tabulation.columns, xp_tables(tabulation.laws)
    when, order = tables.timeline(hours), design.track_order
    failure, awards = design.encounters.failure, design.awards
    ledgers = {name: rm.Ledger(design, name) for name in order}
    main = ledgers[order[0]]
    arrived = {name: [(0.0, 0)] for name in order}
    used = {name: [0, 0, 0] for name in design.sources}  # Ever, today and this week.
    variation = float(design.encounters.variation)
    times = time_table(variation**-2 if variation else 0.0)
    player = design.profile(profile)
    day = round(float(player.hours_per_day or 24) * 3600 * 1e6)
    days_per_week = len(player.plays_on or range(player.days_per_week or 7))
    clock, encounter, today = 0.0, 0, 0

    def days_pass() -> None:
        nonlocal today
        now = math.floor(clock * 1e6 + 0.5) // day
        for uses in used.values() if now > today else ():
            uses[1] = 0
            uses[2] *= now // days_per_week == today // days_per_week
        today = max(now, today)

    with np.errstate(over="ignore"):
        keys = draws.player_keys(seed, profile, np.array([number]))
        key, own = keys[0], float(draws.own_factors(keys, float(tables.player.spread))[0])
        while main.level < main.max_level:
            row, at, weights, pays, waits = main.level - main.start_level, {}, [], [], False
            for index, (name, source) in enumerate(design.sources.items()):
                skill = columns.skill_track[index]
                step = ledgers[skill].level - ledgers[skill].start_level if skill else 0
                column = int(columns.first_column[index]) + step
                weight = float(tables.encounters.weight[row, column])
                full = [0 < limit <= uses for limit, uses in zip(source.limits, used[name], strict=True)]
                waits |= weight > 0 and not full[0]
                if weight > 0 and not any(full):
                    at[len(weights)] = (index, name, source, column)
                    weights.append(weight)
                    pays.append(float(tables.pay[row, column]) if player.pursuit else 0.0)
            if not weights and waits and (today + 1) * day / 1e6 <= hours * 3600:
                clock = (today + 1) * day / 1e6
                days_pass()
                continue
            if not weights:
                break
            if player.pursuit == "best" and max(pays) > 0:
                weights = [w * (p >= max(pays) * (1 - 1e-9)) for w, p in zip(weights, pays, strict=True)]
            elif max(pays) > 0:
                weights = [w * (p / max(pays)) ** player.pursuit for w, p in zip(weights, pays, strict=True)]
            running = np.cumsum(weights).tolist()
            target = draws.uniform(key, encounter, draws.SOURCE) * running[-1]
            index, name, source, column = at[min(sum(part <= target for part in running), len(running) - 1)]
            won = bool(draws.uniform(key, encounter, draws.SUCCESS) < tables.encounters.success[row, column])
            seconds = float(tables.encounters.seconds[row, column])
            if variation:
                seconds *= float(time_at(times, draws.bits_of(key, encounter, draws.TIME)))
            seconds = seconds + (0.0 if won else float(failure.extra_seconds)) + float(tables.player.seconds_between)
            clock += seconds * own
            if clock > hours * 3600:
                break
            days_pass()
            on = when.rules_on(clock, number)
            first, last = int(xp.first[index]), int(xp.first[index + 1])
            draw = float(draws.uniform(key, encounter, draws.XP))
            drawn = float(drawn_xp(xp.low[row, index], int(xp.width[index]), first, last, xp.amounts, xp.up_to, draw))
            encounter += 1
            product = float(tables.alone.product(on)[row, column])
            if not won and failure.loss:
                loss = float(failure.loss) * main.cost
                main.lose(
                    math.floor(loss)
                    if design.track().overflow.whole_xp
                    else round(loss * main.tables.scale) / main.tables.scale
                )
            code, to = ROUNDING_CODES[awards.rounding], float(awards.rounding_to or 1)
            main.award(paid_xp(drawn, product, won, float(failure.xp_share), code, to, float(awards.least_award)))
            if source.skill:
                share = 1.0 if won else float(failure.xp_share)
                ledgers[source.skill].award(float(tables.alone.skill_award(on, share)[row, column]))
            used[name] = [uses + won for uses in used[name]]
            for track, ledger in ledgers.items():
                arrived[track] += [(clock, encounter)] * (
                    ledger.peak_level - ledger.start_level + 1 - len(arrived[track])
                )
    return arrived


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
