"""Players and parties played by page and pencil, in plain Python: every rule of encounters, written apart from the kernels.

The random numbers are those of the kernels, and formulas are evaluated by the formula language; all else, from what is
open to what is booked, is worked out here anew, one encounter after the other, so that both must come to the same.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cache
from typing import Any

import numpy as np

import ramulus as rm
from ramulus.formula import evaluate, parse
from ramulus.rules.ability import traits_of
from ramulus.rules.tabulation import tabulated
from ramulus.simulation import draws
from ramulus.simulation.times import time_at, time_table

WEEK = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


KNOWN: dict[tuple[Any, ...], float] = {}


def number(value: Any, names: dict[str, Any]) -> float:
    """A number or a formula's value."""
    if not isinstance(value, str):
        return float(value)
    formula = parse(value)
    key = (value, *[names.get(name) for name in formula.names])
    if key not in KNOWN:
        KNOWN[key] = float(evaluate(formula, names))
    return KNOWN[key]


@cache
def day_of(hours: float | None) -> int:
    """The microseconds of a day of play; 0 without days."""
    return 0 if hours is None else round(Fraction(repr(float(hours))) * 3600 * 10**6)


@dataclass
class Track:
    """One track: costs in units, and its rules."""

    name: str
    start: int
    costs: list[int]
    scale: int
    rules: Any
    may_drop: bool

    @property
    def cap(self) -> int:
        return len(self.costs)


@dataclass
class Member:
    """Somebody who plays: who it is, and where it stands."""

    name: str
    profile: str
    number: int
    ability: int
    slot: int
    come: int = 0
    levels: dict[str, int] = field(default_factory=dict)
    xp: dict[str, int] = field(default_factory=dict)
    peaks: dict[str, int] = field(default_factory=dict)
    earned: dict[tuple[str, str], int] = field(default_factory=dict)
    store: int = 0
    open: set[int] = field(default_factory=set)
    missing: dict[str, int] = field(default_factory=dict)
    day: int = 0
    arrived: dict[str, list[tuple[float, int]]] = field(default_factory=dict)
    since: dict[str, tuple[int, float]] = field(default_factory=dict)
    held: dict[tuple[str, int], float] = field(default_factory=dict)
    wasted: int = 0
    rested: float = 0.0


class Plain:
    """A player alone, or a party; `play` goes on to the end."""

    def __init__(self, design: rm.Design, members: list[Member], seed: int, hours: float, party: Any = None) -> None:
        self.design, self.members, self.hours, self.party = design, members, hours, party
        self.main = design.main_track_name
        self.tracks = {}
        for name in design.track_order:
            ledger = rm.Ledger(design, name)
            costs = [round(cost * ledger.tables.scale) for cost in ledger.tables.curve.costs.tolist()]
            track = design.tracks[name]
            scale = ledger.tables.scale
            self.tracks[name] = Track(name, track.start_level, costs, scale, track.overflow, track.may_drop_levels)
        tabulation = tabulated(design)
        self.stats = {m.name: tabulation.stats(m.profile) for m in members}
        self.skill_of = dict(zip(design.sources, tabulation.columns.skill_track, strict=True))
        self.pools = [n for n in design.stats if n in design.encounters.drain or n in design.encounters.failure.drain]
        self.used = {name: [0, 0, 0] for name in design.sources}
        self.of_ability: dict[tuple[str, int, int], dict[str, float]] = {}
        self.gates = sorted(
            range(len(design.gates)), key=lambda i: design.track_order.index(design.gates[i].track or self.main)
        )
        variation = float(design.encounters.variation)
        self.times = time_table(variation**-2 if variation else 0.0)
        with np.errstate(over="ignore"):
            self.keys = {m.name: draws.player_keys(seed, m.profile, np.array([m.number]))[0] for m in members}
            self.own = {
                m.name: float(
                    draws.own_factors(np.array([self.keys[m.name]]), float(design.profile(m.profile).spread))[0]
                )
                for m in members
            }
        self.clock, self.encounter, self.end, self.party_day, self.party_week = 0.0, 0, "", None, None
        self.lead: Member | None = None
        self.log: list[dict[str, tuple[int, int]]] = []
        self.clocks: list[float] = []
        for member in members:
            self.put(member)

    def put(self, m: Member) -> None:
        design, player = self.design, self.design.profile(m.profile)
        for name in self.tracks:
            track = design.tracks[name]
            m.levels[name], m.xp[name] = 0, round(track.start_xp * self.tracks[name].scale)
            m.earned |= {("today", name): 0, ("week", name): 0}
        start = self.party.members[m.name].start_level if self.party else None
        if start is not None:
            m.levels[self.main], m.xp[self.main] = start - self.tracks[self.main].start, 0
        elif player.start_level is not None or player.start_xp is not None:
            m.levels[self.main] = (player.start_level or self.tracks[self.main].start) - self.tracks[self.main].start
            m.xp[self.main] = round((player.start_xp or 0) * self.tracks[self.main].scale)
        m.peaks = dict(m.levels)
        m.arrived = {name: [(0.0, 0)] * (m.levels[name] + 1) for name in self.tracks}
        m.missing = dict.fromkeys(self.pools, 0)
        m.day = m.come

    # --- names -------------------------------------------------------------------------------------------------

    def traits(self, m: Member, level: int) -> dict[str, float]:
        key = (m.profile, level, m.ability)
        if key not in self.of_ability:
            at = traits_of(self.design, m.profile, np.array([float(level)]), m.ability)
            self.of_ability[key] = {name: float(np.asarray(value).reshape(-1)[0]) for name, value in at.items()}
        return self.of_ability[key]

    def of_stats(self, m: Member, levels: dict[str, int]) -> dict[str, float]:
        found = {}
        for name, curve in self.stats[m.name].items():
            track = self.design.stats[name].track or self.main
            found[name] = float(curve.values[levels[track]])
        return found

    def names(
        self, m: Member, source: str, leader: Member, levels: Any, leads: Any, skill: str | None
    ) -> dict[str, Any]:
        """Every name of a formula of encounters, at the levels as the source is drawn."""
        design, one = self.design, self.design.sources[source]
        level = levels[self.main] + self.tracks[self.main].start
        lead = leads[self.main] + self.tracks[self.main].start
        known: dict[str, Any] = dict(design.constants)
        source_level = math.floor(number(one.level, {**known, "level": lead}))
        own = {
            key: number(value, {**known, "level": lead, "source_level": source_level})
            for key, value in one.numbers.items()
        }
        skill = skill or self.skill_of[source]
        skill_level = levels[skill] + self.tracks[skill].start if skill else 0
        known |= {"level": level, "source_level": source_level, "gap": level - source_level, "skill_level": skill_level}
        return {**known, **own, **self.of_stats(m, levels), **self.traits(m, level)}

    # --- days --------------------------------------------------------------------------------------------------

    def length(self, m: Member) -> int:
        return day_of(self.design.profile(m.profile).hours_per_day)

    def weekdays(self, m: Member) -> list[int]:
        player, first = self.design.profile(m.profile), WEEK.index(self.design.starts_on)
        if player.plays_on is not None:
            return sorted((WEEK.index(day) - first) % 7 for day in player.plays_on)
        count = player.days_per_week or 7
        return sorted((7 * k // count + (m.slot if count < 7 else 0)) % 7 for k in range(count))

    def play_day(self, m: Member) -> int:
        length = self.length(m)
        return m.come + (math.floor(self.clock * 1e6 + 0.5) // length if length else 0)

    def calendar(self, m: Member, day: int) -> int:
        days = self.weekdays(m)
        return 7 * (day // len(days)) + days[day % len(days)] + 1

    def days_pass(self, leader: Member) -> None:
        for m in self.members:
            now = self.play_day(m)
            while m.day < now:
                gap = self.calendar(m, m.day + 1) - self.calendar(m, m.day)
                self.fill(m, gap)
                week = len(self.weekdays(m))
                m.earned |= {("today", name): 0 for name in self.tracks}
                if (m.day + 1) // week != m.day // week:
                    m.earned |= {("week", name): 0 for name in self.tracks}
                m.day += 1
        if self.length(leader):
            day, week = leader.day, leader.day // len(self.weekdays(leader))
            for uses in self.used.values():
                uses[1] *= self.party_day in (None, day)
                uses[2] *= self.party_week in (None, week)
            self.party_day, self.party_week = day, week

    def whole(self, xp: float) -> int:
        track = self.tracks[self.main]
        return math.floor(xp) * track.scale if track.rules.whole_xp else math.floor(xp * track.scale)

    def fill(self, m: Member, days: int) -> None:
        bonus, track, level = self.design.away_bonus, self.tracks[self.main], m.levels[self.main]
        if bonus is None or level >= track.cap:
            return
        names = {**self.design.constants, "level": level + track.start, "cost": track.costs[level] / track.scale}
        most = self.whole(number(bonus.at_most, names))
        m.store = max(m.store, min(m.store + self.whole(number(bonus.per_day_away, names) * days), most))

    # --- multipliers -------------------------------------------------------------------------------------------

    def is_on(self, rule: Any, m: Member) -> bool:
        if not rule.timed:
            return True
        length = self.length(m)
        if not length:
            return False
        played = math.floor(self.clock * 1e6 + 0.5)
        day = self.calendar(m, m.come + played // length)
        if rule.from_day is not None and day < rule.from_day:
            return False
        if rule.every is not None:
            if (day - rule.from_day) % rule.every > rule.to_day - rule.from_day:
                return False
        elif rule.to_day is not None and day > rule.to_day:
            return False
        if rule.weekdays is not None and WEEK[(day - 1 + WEEK.index(self.design.starts_on)) % 7] not in rule.weekdays:
            return False
        if rule.first_minutes_of_day is None:
            return True
        return bool(played % length < round(Fraction(repr(float(rule.first_minutes_of_day))) * 60 * 10**6))

    def product(
        self, m: Member, source: str, track: str, names: dict[str, Any], *, timed: bool, leading: bool
    ) -> float:
        """The product of multipliers on an award of a source to a track."""
        factors: dict[int, float] = {}
        here = self.design.sources[source]
        for index, rule in enumerate(self.design.multipliers):
            reads = {n for text in (rule.factor, rule.against) if isinstance(text, str) for n in parse(text).names}
            if (rule.timed and not timed) or (not self.is_on(rule, m)) or (not leading and "leader_level" in reads):
                continue
            applies = (
                (rule.tracks is None or track in rule.tracks)
                and (rule.sources is None or source in rule.sources)
                and (rule.tags is None or set(rule.tags) & set(here.tags))
                and (rule.players is None or m.profile in rule.players)
                and (rule.from_level or 0) <= names["level"] <= (rule.to_level or 10**9)
            )
            if not applies:
                factors[index] = math.nan
            elif rule.bands is None:
                factors[index] = number(rule.factor, names)
            else:
                at = self.done(m, source, track, rule.counts) if rule.counts else number(rule.against, names)
                factors[index] = next((float(f) for end, f in rule.bands if at <= end), 1.0)
        return self.stacked(factors)

    def done(self, m: Member, source: str, track: str, what: str) -> float:
        if what.startswith("successes"):
            return self.used[source][1 if what == "successes_today" else 0]
        span = "today" if what == "xp_today" else "week"
        return Fraction(m.earned[span, track], self.tracks[track].scale)

    def stacked(self, factors: dict[int, float]) -> float:
        product, taken = 1.0, set()
        for index, factor in factors.items():
            stack = self.design.multipliers[index].stack
            if stack == "multiply":
                product *= 1.0 if math.isnan(factor) else factor
            elif stack not in taken:
                taken.add(stack)
                group = [f for i, f in factors.items() if self.design.multipliers[i].stack == stack]
                known = [f for f in group if not math.isnan(f)]
                if stack == "add":
                    total = 0.0
                    for one in known:
                        total += one - 1.0
                    product *= 1.0 + total
                else:
                    product *= max(known, default=1.0)
        return product

    def rounded(self, xp: float) -> float:
        kind, to = self.design.awards.rounding, float(self.design.awards.rounding_to or 1)
        if kind == "none":
            return xp
        x = xp / to
        whole = {"down": math.floor(x), "up": math.ceil(x), "nearest": math.floor(x) + (x - math.floor(x) >= 0.5)}[kind]
        return whole * to

    def paid(self, drawn: float, product: float, won: bool) -> float:
        share = float(self.design.encounters.failure.xp_share)
        if won:
            return max(self.rounded(drawn * product), float(self.design.awards.least_award))
        return self.rounded(drawn * product * share)

    def units(self, xp: float, track: str) -> int:
        at = xp * self.tracks[track].scale
        return math.floor(at) + (at - math.floor(at) >= 0.5)

    # --- booking -----------------------------------------------------------------------------------------------

    def gate_at(self, m: Member, track: str, level: int) -> int | None:
        for index in self.gates:
            gate = self.design.gates[index]
            same = (gate.track or self.main) == track and gate.at_level - self.tracks[track].start == level
            if same and index not in m.open:
                return index
        return None

    def book(self, m: Member, track: str, units: int) -> None:
        rule, level, xp, ups = self.tracks[track], m.levels[track], m.xp[track] + units, 0
        most, exceeded = rule.rules.level_ups_per_award, rule.rules.threshold == "exceeded"
        before = level
        while level < rule.cap and self.gate_at(m, track, level) is None and (most == "any" or ups < 1):
            if xp < rule.costs[level] + exceeded:
                break
            excess = xp - rule.costs[level]
            kept = math.floor(excess * Fraction(repr(rule.rules.carry)))
            if rule.rules.carry_limit is not None and level + 1 < rule.cap:
                kept = min(kept, math.floor(rule.costs[level + 1] * Fraction(repr(rule.rules.carry_limit))))
            kept -= kept % rule.scale if rule.rules.whole_xp else 0
            m.wasted += (excess - kept) * (track == self.main)
            xp, level, ups = kept, level + 1, ups + 1
        gate = self.gate_at(m, track, level) if level < rule.cap else None
        if level == rule.cap:
            stays = {"discard": 0, "fill": min(xp, rule.costs[-1]), "bank": xp}[rule.rules.at_cap]
        else:
            fills = gate is not None and self.design.gates[gate].meanwhile == "fill"
            stays = min(xp, rule.costs[level]) if fills else xp
        m.wasted += (xp - stays) * (track == self.main)
        m.levels[track], m.xp[track] = level, stays
        m.earned["today", track] += units
        m.earned["week", track] += units
        if level > before and track == self.main:
            for pool in self.pools:
                m.missing[pool] *= not self.design.stats[pool].refill_on_level_up
        self.note_gate(m, track)
        while m.peaks[track] < level:
            m.peaks[track] += 1
            m.arrived[track].append((self.clock, self.encounter))

    def note_gate(self, m: Member, track: str) -> None:
        level, rule = m.levels[track], self.tracks[track]
        stands = level < rule.cap and self.gate_at(m, track, level) is not None and m.xp[track] >= rule.costs[level]
        if track in m.since and not (stands and m.since[track][0] == level):
            at, since = m.since.pop(track)
            if m.peaks[track] == at:
                m.held[track, at] = m.held.get((track, at), 0.0) + self.clock - since
        if stands and track not in m.since:
            m.since[track] = (level, self.clock)

    def lose(self, m: Member, units: int) -> None:
        rule, level, xp = self.tracks[self.main], m.levels[self.main], m.xp[self.main]
        taken = min(units, xp)
        xp, left = xp - taken, units - taken
        while left > 0 and rule.may_drop and level > 0:
            level -= 1
            part = min(left, rule.costs[level])
            xp, left = rule.costs[level] - part, left - part
        m.levels[self.main], m.xp[self.main] = level, xp

    def open_gates(self, m: Member) -> None:
        again = True
        while again:
            again = False
            for index in self.gates:
                gate = self.design.gates[index]
                track = gate.track or self.main
                due = gate.from_day is None or self.calendar(m, m.day) >= gate.from_day
                if index in m.open or not due or not self.has_what_opens(m, gate):
                    continue
                if m.levels[track] == gate.at_level - self.tracks[track].start:
                    if track in m.since:
                        at, since = m.since.pop(track)
                        m.held[track, at] = m.held.get((track, at), 0.0) + (self.clock - since) * (m.peaks[track] == at)
                    m.open.add(index)
                    self.book(m, track, 0)
                m.open.add(index)
                again = True

    def has_what_opens(self, m: Member, gate: Any) -> bool:
        done = all(self.used[name][0] >= count for name, count in gate.successes.items())
        return done and all(m.peaks[name] + self.tracks[name].start >= level for name, level in gate.levels.items())

    def waits_for_day(self, m: Member) -> bool:
        gate = (
            self.gate_at(m, self.main, m.levels[self.main])
            if m.levels[self.main] < self.tracks[self.main].cap
            else None
        )
        full = gate is not None and m.xp[self.main] >= self.tracks[self.main].costs[m.levels[self.main]]
        return full and self.has_what_opens(m, self.design.gates[gate])

    # --- rests -------------------------------------------------------------------------------------------------

    def size(self, m: Member, pool: str) -> int:
        return math.floor(float(self.stats[m.name][pool].values[m.levels[self.main]]) * 1e6 + 0.5)

    def rest(self) -> None:
        due = []
        for m in self.members:
            if any(m.missing[pool] >= self.size(m, pool) for pool in self.pools):
                level = m.levels[self.main] + self.tracks[self.main].start
                stats = self.of_stats(m, m.levels)
                missing = sum(m.missing.values()) / 1_000_000
                names = {**self.design.constants, "level": level, "missing": missing, **stats, **self.traits(m, level)}
                due.append(number(self.design.encounters.rest.seconds, names) * self.own[m.name])
        if due:
            self.clock += max(due)
            for m in self.members:
                m.missing = dict.fromkeys(self.pools, 0)
                m.rested += max(due)
            if self.clock <= self.hours * 3600:
                self.days_pass(self.lead or self.leader())

    # --- one encounter -----------------------------------------------------------------------------------------

    def leader(self) -> Member:
        if self.party is None:
            return self.members[0]
        if self.party.leader != "highest":
            return next(m for m in self.members if m.name == self.party.leader)
        return max(self.members, key=lambda m: (m.levels[self.main], m.xp[self.main]))

    def weights(self, m: Member) -> dict[str, float]:
        """The weights of the open sources with uses left, for players who go after what pays."""
        found, pays = {}, {}
        player = self.design.profile(m.profile)
        for name, source in self.design.sources.items():
            names = self.names(m, name, m, m.levels, m.levels, None) if self.is_open(m, name) else {}
            weight = number(self.design.encounters.weight, names) * float(source.weight) if names else 0.0
            if weight > 0 and not any(0 < most <= n for most, n in zip(source.limits, self.used[name], strict=True)):
                found[name] = weight
                pays[name] = self.pay(m, name, names) if player.pursuit else 0.0
        best = max(pays.values(), default=0.0)
        if best > 0 and player.pursuit == "best":
            return {name: weight * (pays[name] >= best * (1 - 1e-9)) for name, weight in found.items()}
        if best > 0:
            return {name: weight * (pays[name] / best) ** player.pursuit for name, weight in found.items()}
        return found

    def is_open(self, m: Member, name: str) -> bool:
        level, source = m.levels[self.main] + self.tracks[self.main].start, self.design.sources[name]
        low, high = source.from_level, source.to_level
        return (low is None or level >= low) and (high is None or level <= high)

    def outcomes(self, source: str, names: dict[str, Any]) -> list[tuple[float, float]]:
        xp = self.design.sources[source].xp
        if hasattr(xp, "one_of"):
            return [(float(amount), float(chance)) for amount, chance in xp.one_of]
        if hasattr(xp, "low"):
            return [(float(x), 1 / (xp.high - xp.low + 1)) for x in range(int(xp.low), int(xp.high) + 1)]
        return [(number(xp, names), 1.0)]

    def pay(self, m: Member, source: str, names: dict[str, Any]) -> float:
        """What a source pays by the hour where players choose by it."""
        encounter, player = self.design.encounters, self.design.profile(m.profile)
        company = {**names, "leader_level": names["level"], "party_size": len(self.members)}
        product = self.product(m, source, self.main, company, timed=False, leading=True)
        parts = len(self.members) if self.party and self.party.share == "split" else 1
        p = self.chance(source, names)
        mean = {
            won: sum(q * self.paid(x / parts, product, won) for x, q in self.outcomes(source, names))
            for won in (True, False)
        }
        worth = p * mean[True] + (1 - p) * mean[False] * (encounter.failure.xp_share > 0)
        worth -= (1 - p) * self.loss(m.levels[self.main]) / self.tracks[self.main].scale
        for skill, xp in self.design.sources[source].practised.items():
            at = self.names(m, source, m, m.levels, m.levels, skill)
            at |= {"leader_level": names["level"], "party_size": len(self.members)}
            boost = self.product(m, source, skill, at, timed=False, leading=True)
            share = float(encounter.failure.xp_share)
            won, lost = self.rounded(number(xp, at) * boost), self.rounded(number(xp, at) * boost * share)
            worth += float(player.skill_xp_worth) * (p * won + (1 - p) * lost)
        seconds = self.seconds(source, names) + (1 - p) * float(encounter.failure.extra_seconds)
        seconds += float(player.seconds_between) + self.rest_part(m, source, names, p)
        return max(3600 * worth, 0.0) / seconds

    def rest_part(self, m: Member, source: str, names: dict[str, Any], p: float) -> float:
        parts = [0.0]
        for pool in self.pools:
            size = float(self.stats[m.name][pool].values[m.levels[self.main]])
            mean = p * self.drained(pool, True, names) + (1 - p) * self.drained(pool, False, names)
            at = {**names, "missing": size}
            parts.append(mean / size * number(self.design.encounters.rest.seconds, at))
        return max(parts)

    def drained(self, pool: str, won: bool, names: dict[str, Any]) -> float:
        encounter = self.design.encounters
        taken = number(encounter.drain.get(pool, 0), names)
        return taken if won else taken + number(encounter.failure.drain.get(pool, 0), names)

    def seconds(self, source: str, names: dict[str, Any]) -> float:
        own = self.design.sources[source].seconds
        return number(self.design.encounters.seconds if own is None else own, names)

    def chance(self, source: str, names: dict[str, Any]) -> float:
        own = self.design.sources[source].success
        return number(self.design.encounters.success if own is None else own, names)

    def loss(self, level: int) -> int:
        rule, stated = self.tracks[self.main], self.design.encounters.failure.loss
        if level >= rule.cap or not stated:
            return 0
        loss = number(stated, {**self.design.constants, "level": level + rule.start}) * (rule.costs[level] / rule.scale)
        return math.floor(loss) * rule.scale if rule.rules.whole_xp else math.floor(loss * rule.scale + 0.5)

    def at_caps(self) -> bool:
        return all(m.levels[self.main] == self.tracks[self.main].cap for m in self.members)

    def play(self, encounters: int = 10**9) -> Plain:
        """Play to the end, or so many encounters."""
        self.write()
        while not self.end and self.encounter < encounters and not self.at_caps():
            self.step()
        return self

    def step(self) -> None:
        horizon = self.hours * 3600
        self.rest()
        if self.clock > horizon:
            self.end = "out of time"
            return
        for m in self.members:
            self.open_gates(m)
        if self.at_caps():
            return
        leader = self.lead = self.leader()
        self.days_pass(leader)
        weights, waiting = self.weights(leader), self.waits_for_day(leader)
        if not weights or waiting:
            self.idle(leader, waiting)
            return
        key, running = self.keys[leader.name], np.cumsum(list(weights.values())).tolist()
        with np.errstate(over="ignore"):
            draw = {slot: draws.uniform(key, self.encounter, slot) for slot in (draws.SOURCE, draws.SUCCESS, draws.XP)}
            bits = draws.bits_of(key, self.encounter, draws.TIME)
            varying = float(time_at(self.times, bits)) if len(self.times) else 1.0
        target = draw[draws.SOURCE] * running[-1]
        source = list(weights)[min(sum(part <= target for part in running), len(running) - 1)]
        names = self.names(leader, source, leader, leader.levels, leader.levels, None)
        won = bool(draw[draws.SUCCESS] < self.chance(source, names))
        extra = 0.0 if won else float(self.design.encounters.failure.extra_seconds)
        between = float(self.design.profile(leader.profile).seconds_between)
        self.clock += (self.seconds(source, names) * varying + extra + between) * self.own[leader.name]
        if self.clock > horizon:
            self.end = "out of time"
            return
        self.days_pass(leader)
        self.share(leader, source, won, float(draw[draws.XP]))

    def idle(self, leader: Member, waiting: bool) -> None:
        """The rest of the play day passes, where anything comes back."""
        back = waiting
        for name, source in self.design.sources.items():
            if self.is_open(leader, name):
                names = self.names(leader, name, leader, leader.levels, leader.levels, None)
                weight = number(self.design.encounters.weight, names) * float(source.weight)
                back |= weight > 0 and not 0 < source.limits[0] <= self.used[name][0] and any(source.limits[1:])
        ends = (leader.day - leader.come + 1) * self.length(leader) / 1e6
        if not back:
            self.end = "no open source"
        elif (leader.day - leader.come + 1) * self.length(leader) - 0.5 > self.hours * 3600 * 1e6:
            self.end = "out of time"
        else:
            self.clock = ends
            self.days_pass(leader)

    def share(self, leader: Member, source: str, won: bool, draw: float) -> None:
        """Book an encounter for everybody; amounts are by the state as the source was drawn."""
        self.encounter += 1
        drawn_at = {m.name: dict(m.levels) for m in self.members}
        leads = dict(leader.levels)
        due = {m.name: self.awards(m, source, leader, drawn_at[m.name], leads, won, draw) for m in self.members}
        for m in self.members:
            names = self.names(m, source, leader, drawn_at[m.name], leads, None) if self.pools else {}
            for pool in self.pools:
                m.missing[pool] += math.floor(self.drained(pool, won, names) * 1e6 + 0.5)
        if won:
            self.used[source] = [n + 1 for n in self.used[source]]
        for m in self.members:
            self.open_gates(m)
        for m in [leader, *(m for m in self.members if m is not leader)]:
            boosted, plain, skills = due[m.name]
            loss = 0 if won else self.loss(drawn_at[m.name][self.main])
            if loss:
                self.lose(m, loss)
            if self.party and self.party.hold_below_leader and m is not leader and boosted > plain:
                boosted = self.cut(m, plain, boosted, leader)
            if self.design.away_bonus is not None:
                scale = self.tracks[self.main].scale
                more = min(self.whole(boosted / scale * (float(self.design.away_bonus.factor) - 1.0)), m.store)
                m.store -= more
                boosted += more
            self.book(m, self.main, boosted)
            for skill, units in skills.items():
                self.book(m, skill, units)
        for m in self.members:
            self.open_gates(m)
        self.write()

    def awards(self, m: Member, source: str, leader: Member, levels: Any, leads: Any, won: bool, draw: float) -> Any:
        company = {"leader_level": leads[self.main] + self.tracks[self.main].start, "party_size": len(self.members)}
        names = {**self.names(m, source, leader, levels, leads, None), **company}
        xp = self.design.sources[source].xp
        if hasattr(xp, "one_of"):
            running, item = np.cumsum([chance for _, chance in xp.one_of]).tolist(), 0
            while item + 1 < len(running) and draw >= running[item]:
                item += 1
            drawn = float(xp.one_of[item][0])
        else:
            drawn = xp.low + math.floor(draw * (xp.high - xp.low + 1)) if hasattr(xp, "low") else number(xp, names)
        drawn = drawn / len(self.members) if self.party and self.party.share == "split" else drawn
        pays = []
        for leading in (True, False):
            product = self.product(m, source, self.main, names, timed=True, leading=leading)
            pays.append(self.units(self.paid(drawn, product, won), self.main))
        skills = {}
        for skill, stated in self.design.sources[source].practised.items():
            at = {**self.names(m, source, leader, levels, leads, skill), **company}
            product = self.product(m, source, skill, at, timed=True, leading=True)
            share = 1.0 if won else float(self.design.encounters.failure.xp_share)
            skills[skill] = self.units(self.rounded(number(stated, at) * product * share), skill)
        return pays[0], pays[1], skills

    def cut(self, m: Member, plain: int, boosted: int, leader: Member) -> int:
        scale = self.tracks[self.main].scale
        step = scale if plain % scale == 0 and boosted % scale == 0 else 1
        top = (leader.levels[self.main], leader.xp[self.main])
        while boosted > plain and self.after(m, boosted) > top:
            boosted -= step
        return boosted

    def after(self, m: Member, units: int) -> tuple[int, int]:
        probe = Member(
            m.name, m.profile, 0, 0, 0, levels=dict(m.levels), xp=dict(m.xp), peaks=dict.fromkeys(m.peaks, 10**9)
        )
        probe.open, probe.earned, probe.missing = set(m.open), dict(m.earned), dict(m.missing)
        self.book(probe, self.main, units)
        return probe.levels[self.main], probe.xp[self.main]

    def write(self) -> None:
        self.log.append({m.name: (m.levels[self.main], m.xp[self.main]) for m in self.members})
        self.clocks.append(self.clock)


def plain_player(design: rm.Design, profile: str, who: int, seed: int, hours: float) -> Member:
    """Play one player of a profile."""
    from ramulus.rules.coming import play_days_before, points_of
    from ramulus.rules.schedule import schedules_of

    schedules = schedules_of(design, design.profile(profile))
    come = int(play_days_before(points_of(design.profile(profile).arrives), np.array([who]), schedules)[0])
    member = Member("one", profile, who, who % 15, who % 7, come)
    played = Plain(design, [member], seed, hours).play()
    member.rested, member.end = played.members[0].rested, played.end  # type: ignore[attr-defined]
    member.log, member.clocks = played.log, played.clocks  # type: ignore[attr-defined]
    return member
