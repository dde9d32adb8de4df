"""A picture that typed words may ask for."""

from __future__ import annotations

from dataclasses import dataclass, field

from night_trail.core.question import Scene, key
from night_trail.core.words_in.asked import Asked


@dataclass(frozen=True)
class Reading:
    """A picture that words may ask for.

    ``turn`` says that it changes the picture on the desk, ``do`` what else is
    to be done. ``taken`` says what words are taken as, ``guesses`` which of it
    may be wrong, ``left`` what was not understood, ``unplaced`` what the
    picture has no place for, ``hurdle`` why. ``good`` is the
    column of which it was guessed whether high or low figures are good.
    ``exact`` words are a sentence of the house.
    """

    scene: Scene
    label: str
    turn: bool
    score: float
    taken: tuple[str, ...] = ()
    guesses: tuple[str, ...] = ()
    left: tuple[str, ...] = ()
    unplaced: tuple[str, ...] = ()
    do: str = ""
    exact: bool = False
    hurdle: str = ""
    good: str = ""

    @property
    def whole(self) -> bool:
        """Whether nothing of the words is left over."""
        return not (self.left or self.unplaced)

    @property
    def key(self) -> str:
        """A stable name of what it leads to."""
        return f"{self.do}{key(self.scene)}"


@dataclass
class Missed:
    """What of the words a picture has no place for, why, and how much less likely that makes it."""

    cost: float = 0.0
    why: str = ""
    words: list[str] = field(default_factory=list)

    def note(self, words: str, cost: float) -> None:
        """Add words that have no place."""
        self.cost += cost
        if words and words not in self.words:
            self.words.append(words)


def reading_of(
    asked: Asked, missed: Missed, scene: Scene, score: float, turn: bool = False, label: str = ""
) -> Reading:
    """Return what was asked as a reading that leads to a scene."""
    return Reading(
        scene,
        label,
        turn,
        score,
        taken=tuple(asked.taken),
        guesses=tuple(asked.guesses),
        left=tuple(asked.left),
        unplaced=tuple(missed.words),
        hurdle=asked.hurdle or missed.why,
        good=asked.unsure_good,
    )
