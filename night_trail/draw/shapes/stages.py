"""How far each gets: a bar for each stage, what is lost behind it, and how long it took to get there."""

from __future__ import annotations

from night_trail.core.language.numbers import percent
from night_trail.core.questions.stages.answer import Stage, StagesAnswer
from night_trail.core.questions.stages.words import long_words
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import NAMED, Canvas, Size, Stands, label, line
from night_trail.draw.frame.legend import Word, legend
from night_trail.draw.frame.scales import Lanes, Linear, percent_ticks
from night_trail.draw.frame.svg import el
from night_trail.draw.frame.text import width

THICKEST = 26.0


def draw_stages(answer: StagesAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the stages from the first to the last."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    if answer.stages and answer.units:
        _Drawn(canvas, answer, table).lanes()
    return canvas


class _Drawn:
    """One picture while it is drawn."""

    def __init__(self, canvas: Canvas, answer: StagesAnswer, table: Table) -> None:
        self.canvas, self.answer, self.table = canvas, answer, table

    def lanes(self) -> None:
        """Draw a lane for each stage."""
        canvas, answer = self.canvas, self.answer
        texts = [self._behind(at) for at in range(len(answer.stages))]
        names = [stage.label for stage in answer.stages]
        grouped = bool(answer.groups) and canvas.labelled
        if canvas.labelled:
            canvas.left = canvas.name_room(names, 170.0, 80.0)
            canvas.right = 12.0 + (max(width(text) for text in texts) if canvas.full else 0.0)
            canvas.top = 24.0 if grouped and canvas.full else 8.0
            canvas.bottom = 44.0 if canvas.full else 6.0
        else:
            canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
        canvas.grow(len(names), NAMED + 8 + (7.0 * len(answer.groups) if grouped else 0.0))
        self.x = Linear(0.0, 1.0, canvas.x_start, canvas.x_end)
        self.rows = Lanes(tuple(names), canvas.y_start, canvas.y_end)
        canvas.x, canvas.y = self.x, self.rows
        canvas.lane_labels(self.rows, names, canvas.left - 22.0)
        if canvas.labelled:
            found = percent_ticks(0.0, 1.0, 4)
            for tick in found:
                at = self.x(tick.at)
                canvas.under.append(line(at, canvas.y_start, at, canvas.y_end, "grid"))
            if canvas.full:
                canvas.bottom_ticks(found, self.x)
                canvas.bottom_title(f"share of {answer.units:,} different {answer.question.unit}")
        if grouped and canvas.full:
            legend(canvas, self._words(), 12.0)
        for at, text in enumerate(texts):
            self._lane(at, text)

    def _words(self) -> list[Word]:
        shown = [group for group in self.answer.groups if group.condition is not None]
        return [Word(g.label, g.hue, g.label, g.condition) for g in shown if g.condition is not None]

    def _lane(self, at: int, text: str) -> None:
        canvas, answer, stage = self.canvas, self.answer, self.answer.stages[at]
        step, top = self.rows.step, self.rows.top(at)
        grouped = bool(answer.groups) and canvas.labelled
        thin = min(6.0, 0.5 * step / max(len(answer.groups), 1)) if grouped else 0.0
        tall = max(min(THICKEST, 0.72 * step - thin * len(answer.groups)), 1.0)
        y = top + (step - tall - thin * len(answer.groups)) / 2
        end = self.x(stage.reached / answer.units)
        if at:
            self._lost(at, y, tall, end)
        shape = el(
            "rect", class_="bar", id=canvas.id("b", stage.label), x=canvas.x_start, y=y,
            width=max(end - canvas.x_start, 0.8), height=tall,
        )  # fmt: skip
        lit = None
        if stage.lit:
            wide = self.x(stage.lit / answer.units) - canvas.x_start
            lit = el(
                "rect",
                class_="lit",
                x=canvas.x_start,
                y=y + tall * 0.25,
                width=max(wide, 0.8),
                height=tall * 0.5,
            )
        canvas.around(stage.label, end, y + tall / 2)
        canvas.mark(shape, lit, stage.label, stage.condition, self._card(at, stage), Stands(stage.own, None))
        if canvas.full:
            # beside what was there before, which may be longer
            longest = self.x((answer.stages[at - 1].reached if at else stage.reached) / answer.units)
            canvas.over.append(label(text, max(end, longest) + 6, y + tall / 2 + 4, "start", "bar-value"))
        for i, group in enumerate(answer.groups if grouped else ()):
            long = self.x(group.reached[at] / group.units) - canvas.x_start
            thread = el(
                "rect", class_=f"bar hue-{group.hue}", x=canvas.x_start, y=y + tall + thin * i + 1,
                width=max(long, 0.5), height=max(thin - 1.0, 0.6),
            )  # fmt: skip
            canvas.over.append(thread)

    def _lost(self, at: int, y: float, tall: float, end: float) -> None:
        """Draw what came to the stage before and not to this one, with its rows where they can be named."""
        canvas, before = self.canvas, self.answer.stages[at - 1]
        n = self.answer.lost(at - 1)
        if not n:
            return
        start = self.x(before.reached / self.answer.units)
        shape = el(
            "rect",
            class_="lost",
            id=canvas.id("g", before.label),
            x=end,
            y=y,
            width=max(start - end, 0.5),
            height=tall,
        )
        if before.stopped is None:
            canvas.under.append(shape)
            return
        card = [
            f"no further than {before.label}",
            f"{n:,}, {percent(n / before.reached, 3)} of those that came so far",
        ]
        canvas.around(f"lost\x1f{before.label}", (start + end) / 2, y + tall / 2)
        canvas.mark(shape, None, f"lost\x1f{before.label}", before.stopped, card, Stands(n, None))

    def _behind(self, at: int) -> str:
        """Return what stands behind a bar: its share of all and of the stage before, and how long it took."""
        answer, stage = self.answer, self.answer.stages[at]
        text = f"{stage.reached:,} · {percent(stage.reached / answer.units)}"
        if not at:
            return text
        before = answer.stages[at - 1].reached
        text += (
            f" · {percent(stage.reached / before)} of {answer.stages[at - 1].label[:18]}" if before else ""
        )
        return f"{text} · {long_words(stage.seconds[1])}" if stage.seconds is not None else text

    def _card(self, at: int, stage: Stage) -> list[str]:
        answer = self.answer
        card = [
            stage.label,
            f"{stage.reached:,} of {answer.units:,} get so far, {percent(stage.reached / answer.units, 3)}",
        ]
        if at and answer.stages[at - 1].reached:
            share = percent(stage.reached / answer.stages[at - 1].reached, 3)
            card.append(f"{share} of those that came to {answer.stages[at - 1].label}")
        if stage.seconds is not None:
            low, middle, high = (long_words(one) for one in stage.seconds)
            card.append(f"{middle} from there (median; half between {low} and {high})")
        for group in answer.groups:
            card.append(f"{group.label}: {percent(group.reached[at] / group.units, 3)} of {group.units:,}")
        return card
