"""A pack as one language writes it: what a template lays out, with every expression and name already in its words."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import Any

from ramulus.game.expressions import Writer, names_in, used_functions
from ramulus.game.factors import RulePack
from ramulus.game.languages import Language, camel, pascal, snake
from ramulus.game.pack import Pack, PracticePack, StatPack
from ramulus.game.products import COUNTED, GIVEN, Factor, Product, steps_of


class View:
    """What a template reads. Names of the design's are spelt as the language has them."""

    def __init__(self, pack: Pack, language: Language, name: str, design: str, version: str) -> None:
        self.pack, self.language, self.design, self.version = pack, language, design, version
        self.name = f"{name}_" if name in language.reserved else name

    def __getattr__(self, name: str) -> Any:
        return getattr(self.pack, name)

    # --- spelling ----------------------------------------------------------------------------------------------

    def text(self, text: str) -> str:
        """Return a text in quotes."""
        return self.language.quoted(text)

    def number(self, value: float) -> str:
        """Return a number."""
        return self.language.words.number(value)

    def numbers(self, values: Iterable[float]) -> str:
        """Return numbers side by side."""
        return ", ".join(self.number(value) for value in values)

    def id(self, name: str) -> str:
        """Return a name as an identifier."""
        return self.language.identifier(name)

    def told_id(self, name: str) -> str:
        """Return a name that the game tells as an identifier."""
        return self.language.told(name)

    def constant(self, name: str) -> str:
        """Return how a constant of the design's is read."""
        form = {"cpp": "detail::numbers().design_{}", "csharp": "Tables.Design{}"}.get(self.language.name, "DESIGN_{}")
        return form.format({"cpp": snake, "csharp": pascal}.get(self.language.name, str.upper)(name))

    @property
    def pascal_name(self) -> str:
        """The export's name with a capital at each word."""
        return pascal(self.name)

    @staticmethod
    def pascal(name: str) -> str:
        """Return a name with a capital at each word."""
        return pascal(name)

    def rule_id(self, rule: RulePack) -> str:
        """Return the name of a multiplier as an identifier."""
        return rule_identifier(self.pack, self.language, rule)

    @staticmethod
    def comment(text: str) -> str:
        """Return a text that stays a comment, whatever it says."""
        plain = "".join(one if one.isprintable() else " " for one in text)
        return plain.replace("\\", "/").replace('"', "'")

    # --- what there is -----------------------------------------------------------------------------------------

    @cached_property
    def any(self) -> dict[str, bool]:
        """What some track needs; what none needs is not written."""
        tracks = self.pack.tracks
        return {
            "drops": any(track.carry < 10**9 for track in tracks),
            "limit": any(track.carry_limit >= 0 for track in tracks),
            "exceeded": any(track.exceeded for track in tracks),
            "one": any(track.one for track in tracks),
            "whole": any(track.scale > 1 and track.whole for track in tracks),
            "may_drop": any(track.may_drop for track in tracks),
            "gates": any(track.gates for track in tracks),
            "lists": any(not source.width for source in self.pack.sources),
            "by_level": any(len(source.low) > 1 for source in self.pack.sources),
            "met": any(len(source.levels) > 1 for source in self.pack.sources),
            "several": len({one.source for one in self.pack.practice}) < len(self.pack.practice),
        }

    @property
    def most_gates(self) -> int:
        """How many gates a track has at most."""
        return max(len(track.gates) for track in self.pack.tracks)

    @cached_property
    def functions(self) -> set[str]:
        """The functions and helpers that some formula needs."""
        found = used_functions(list(self.pack.trees))
        roundings = [(self.pack.rounding, self.pack.to)] if self.pack.sources else []
        roundings += [(stat.rounding, stat.to) for stat in self.pack.stats]
        found |= {"round" for kind, to in roundings if kind == "nearest" and to == 1}
        found |= {"round_to" for kind, to in roundings if kind == "nearest" and to != 1}
        found |= {"modulo" for kind, to in roundings if kind in ("down", "up", "nearest") and to != 1}
        return found

    @cached_property
    def changing_stats(self) -> list[StatPack]:
        """Stats that are more than a table."""
        return [stat for stat in self.pack.stats if stat.tree is not None or stat.upgrades]

    @property
    def practises(self) -> dict[str, list[PracticePack]]:
        """What each source practises, by the source's name; those that practise nothing are not in it."""
        names = dict.fromkeys(one.source for one in self.pack.practice)
        return {name: [one for one in self.pack.practice if one.source == name] for name in names}

    @property
    def traits(self) -> list[str]:
        """Names that multipliers read and only the game knows: traits, and stats that the level alone does not tell."""
        return [*self.pack.traits, *self.pack.told_stats]

    def place_of(self, stat: StatPack) -> int:
        """Return which stat of the design it is, from 0."""
        return self.pack.stats.index(stat)

    @staticmethod
    def reads_numbers(product: Product) -> bool:
        """Return whether a product takes any factor from the tables."""
        return any(not factor.value or factor.rule.bands for step in product.steps for factor in step.factors)

    # --- expressions -------------------------------------------------------------------------------------------

    def expression(self, tree: ast.expr) -> str:
        """Return a formula of an encounter."""
        return self._writer({}).number_of(tree)

    def stat_expression(self, stat: StatPack) -> str:
        """Return the formula of a stat that is no table."""
        assert stat.tree is not None
        return self._writer(stat.fixed, of_stat=True).number_of(stat.tree)

    @staticmethod
    def names_of(tree: ast.expr) -> set[str]:
        """Return the names that a formula reads."""
        return names_in(tree)

    def _writer(self, fixed: Mapping[str, float], *, of_stat: bool = False) -> Writer:
        local = camel if self.language.name == "csharp" else self.id
        names = {name: local(name) for name in ("level", "source_level", "gap")}
        names |= {name: self.constant(name) for name in self.pack.constants}
        names |= {stat.name: self.stat_call(stat, with_ranks=of_stat) for stat in self.pack.stats}
        names |= {name: self.number(value) for name, value in fixed.items()}
        if not of_stat:
            told = {"cpp": "at.", "csharp": "at."}.get(self.language.name, "")  # What is told of an encounter.
            names |= {name: f"{told}{self.told_id(name)}" for name in (*GIVEN, *self.traits)}
        return Writer(self.language.words, names)

    def stat_call(self, stat: StatPack, *, with_ranks: bool) -> str:
        """Return how a formula reads a stat at the same level."""
        call = {
            "python": "stat({name}, level{ranks})", "javascript": "stat({name}, level{ranks})",
            "lua": "leveling.stat({name}, level{ranks})", "cpp": "stat(Stat::{id}, player_level{ranks})",
            "csharp": "StatAt(Stat.{id}, playerLevel{ranks})",
        }[self.language.name]  # fmt: skip
        return call.format(name=self.text(stat.name), id=self.id(stat.name), ranks=", ranks" if with_ranks else "")

    @property
    def level_of(self) -> str:
        """How the level of a source is read, as the player meets it."""
        met, fixed = {
            "python": ("level_of(source, level)", "SOURCES[source].level"),
            "javascript": ("levelOf(source, level)", "SOURCES[source].level"),
            "lua": ("leveling.level_of(source, level)", "SOURCES[source].level"),
            "cpp": ("level_of(source, player_level)", "detail::source_of(source).level"),
            "csharp": ("LevelOf(source, playerLevel)", "Tables.Sources[(int)source].Level"),
        }[self.language.name]
        return met if self.any["met"] else fixed

    def rounded(self, kind: str, to: float, value: str) -> str:
        """Return an expression rounded as the design says."""
        functions = self.language.words.functions
        if kind == "none":
            return value
        if to == 1:
            return f"{functions[{'down': 'floor', 'up': 'ceil', 'nearest': 'round'}[kind]]}({value})"
        modulo, multiple = functions["modulo"], self.number(to)
        if kind == "nearest":
            return f"{functions['round_to']}({value}, {multiple})"
        return (
            f"{value} - {modulo}({value}, {multiple})"
            if kind == "down"
            else f"{value} + {modulo}(-{value}, {multiple})"
        )

    # --- multipliers -------------------------------------------------------------------------------------------

    @cached_property
    def main_product(self) -> Product:
        """The product on awards to the main track."""
        every = [source.name for source in self.pack.sources]
        factors = [self._factor(rule, rule.sources, every) for rule in self.pack.rules if rule.sources]
        return self._product(factors, splits=self.pack.splits)

    @cached_property
    def skill_product(self) -> Product:
        """The product on awards to skills."""
        every, skills = list(self.practises), list(dict.fromkeys(one.skill for one in self.pack.practice))
        trees = [one.xp for one in self.pack.practice if isinstance(one.xp, ast.expr)]
        rules = [rule for rule in self.pack.rules if rule.skill_sources]
        # Where a source practises one skill, the source says which.
        narrowed = [() if not self.any["several"] or set(rule.skills) == set(skills) else rule.skills for rule in rules]
        factors = [self._factor(r, r.skill_sources, every, own) for r, own in zip(rules, narrowed, strict=True)]
        return self._product(factors, trees)

    @property
    def given(self) -> list[str]:
        """What is told of encounters, whichever award it is for."""
        return [name for name in GIVEN if name in {*self.main_product.given, *self.skill_product.given}]

    counts = COUNTED

    @staticmethod
    def counted(product: Product) -> list[str]:
        """Return what a product has to be told of what was done."""
        return [name for name in COUNTED if name in product.given]

    def _factor(
        self, rule: RulePack, sources: tuple[str, ...], every: list[str], skills: tuple[str, ...] = ()
    ) -> Factor:
        return Factor(rule, () if list(sources) == every else sources, skills, self._value(rule))

    def _product(self, factors: list[Factor], more: Iterable[ast.expr] = (), *, splits: bool = False) -> Product:
        rules = [factor.rule for factor in factors]
        trees = [*(rule.tree for rule in rules if rule.tree is not None), *more]
        read = {name for tree in trees for name in names_in(tree)}
        return Product(
            steps=tuple(steps_of(factors)),
            given=tuple(name for name in GIVEN if name in read or (name == "party_size" and splits)),
            traits=tuple(trait for trait in self.traits if trait in read),
            timed=tuple(rule for rule in rules if rule.timed),
            by_player=any(rule.players for rule in rules),
            reads_gap="gap" in read,
            reads_source_level="source_level" in read,
            reads_level=bool({"level", "gap", "leader_level"} & read) or any(rule.low or rule.high for rule in rules),
        )

    def _value(self, rule: RulePack) -> str:
        if rule.tree is None:
            return ""
        writer = self._writer({})
        # Lua has no `*=`.
        plain = rule.bands or self.language.name != "lua"
        return writer.number_of(rule.tree) if plain else writer.factor_of(rule.tree)


def rule_identifier(pack: Pack, language: Language, rule: RulePack) -> str:
    """Return the name of a multiplier as an identifier; one that is no word goes by its place in the file."""
    is_word = rule.name.isascii() and any(one.isalpha() for one in rule.name)
    return language.identifier(rule.name if is_word else f"rule {pack.rules.index(rule) + 1}")


def _named(pack: Pack) -> dict[str, list[str]]:
    """Return the names that stand side by side in a program, by their place in a design."""
    return {
        "tracks": [track.name for track in pack.tracks],
        "sources": [source.name for source in pack.sources],
        "stats": [stat.name for stat in pack.stats],
        "upgrades": [upgrade.name for upgrade in pack.upgrades],
        "constants": list(pack.constants),
    }


def _spelt(pack: Pack, language: Language) -> dict[str, list[tuple[str, str]]]:
    """Return names with how they are spelt, by their place in a design."""
    spelt = {place: [(name, language.identifier(name)) for name in names] for place, names in _named(pack).items()}
    spelt |= {"traits": [(name, language.told(name)) for name in (*pack.traits, *pack.told_stats)]}
    return spelt | {"multipliers": [(rule.name, rule_identifier(pack, language, rule)) for rule in pack.rules]}


def clashes(pack: Pack, language: Language) -> Iterable[tuple[str, str, str]]:
    """Yield names of one kind that a language would spell the same, with their place."""
    for place, names in _spelt(pack, language).items():
        seen: dict[str, str] = {}
        for name, spelt in names:
            if spelt in seen:
                yield place, seen[spelt], name
            seen[spelt] = name


def respelt(pack: Pack, language: Language) -> list[str]:
    """Return the names of the design's that would be words of a language, as they are spelt."""
    kinds = ("tracks", "sources", "stats", "upgrades", "traits")
    spelt = dict(one for kind, names in _spelt(pack, language).items() if kind in kinds for one in names)
    return [f"{name} → {text}" for name, text in spelt.items() if text.endswith("_")]
