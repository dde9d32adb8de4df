"""Random values of any type that the core decodes: what a hand, or a script, might send."""

from __future__ import annotations

import random
from typing import Any

import msgspec

NUMBERS = (0, 1, -1, 2, 7, 12, 0.5, 1e-9, 1e299, -1e299, 1e15, 2**53, 2**63 - 1, 5e-324, 1e-299)
TEXTS = ("", " ", "²", "<script>", "’“", "a" * 300, "\x00", "null", "9" * 5_000, "=1+1", "😀", "../..", "%s")


class Fuzz:
    """Draws values of a type; texts are often names and values that a table knows."""

    def __init__(self, rng: random.Random, words: list[str]) -> None:
        self.rng, self.words = rng, words

    def value(self, kind: Any, depth: int = 0) -> Any:
        """Return a random value that JSON can hold, of a type or close to it."""
        return self._of(msgspec.inspect.type_info(kind), depth)

    def _of(self, info: Any, depth: int) -> Any:
        rng, of = self.rng, msgspec.inspect
        if rng.random() < 0.01:
            return rng.choice((None, [], {}, -1, "x", True))  # now and then not of the type at all
        if isinstance(info, of.UnionType):
            return self._of(rng.choice(info.types), depth)
        if isinstance(info, of.StructType):
            return self._struct(info, depth)
        if isinstance(info, of.LiteralType):
            return rng.choice(info.values)
        if isinstance(info, of.EnumType):
            return rng.choice([m.value for m in info.cls])
        if isinstance(info, of.BoolType):
            return rng.random() < 0.5
        if isinstance(info, of.IntType):
            return rng.choice([int(n) for n in NUMBERS if abs(n) < 2**64])
        if isinstance(info, of.FloatType):
            return rng.choice((*NUMBERS, rng.uniform(-50, 50), 1_577_836_800.0))
        if isinstance(info, of.StrType):
            return rng.choice(self.words if rng.random() < 0.85 else TEXTS)
        if isinstance(info, of.NoneType):
            return None
        if isinstance(info, of.TupleType):
            return [self._of(part, depth + 1) for part in info.item_types]
        if isinstance(info, of.VarTupleType | of.ListType):
            most = 3 if depth < 4 else 1
            return [self._of(info.item_type, depth + 1) for _ in range(rng.randint(0, most))]
        if isinstance(info, of.DictType):
            return {rng.choice(self.words): self._of(info.value_type, depth + 1)}
        raise TypeError(f"no values of {info}")

    def _struct(self, info: Any, depth: int) -> dict[str, Any]:
        made = {info.tag_field: info.tag} if info.tag_field else {}
        for field in info.fields:
            if field.required or (self.rng.random() < 0.4 and depth < 6):
                made[field.encode_name] = self._of(field.type, depth + 1)
        return made
