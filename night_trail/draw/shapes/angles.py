"""The same histogram at three bin widths, side by side."""

from __future__ import annotations

from dataclasses import replace

from night_trail.core.questions.spread.angles import AnglesAnswer
from night_trail.core.questions.spread.sentence import bins_words
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, Detail, Field, Size, label
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import group
from night_trail.draw.shapes.histogram import draw_histogram


def draw_angles(answer: AnglesAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the histograms in a row, each under the words of its bins."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    head = 26.0 if canvas.full else 0.0
    wide = size.width / len(answer.parts)
    detail: Detail = "thumb" if size.detail == "thumb" else "beside"
    for i, part in enumerate(answer.parts):
        small = draw_histogram(
            part, table, Size(int(wide) - 6, int(size.height - head), detail), f"{prefix}{i}"
        )
        move = f"translate({i * wide:.1f} {head:.1f})"
        canvas.under.append(group(*small.under, transform=move))
        canvas.marks.append(group(*small.marks, transform=move))
        canvas.over.append(group(*small.over, transform=move))
        if isinstance(small.x, Linear) and isinstance(small.y, Linear):
            x = replace(small.x, start=small.x.start + i * wide, end=small.x.end + i * wide)
            y = replace(small.y, start=small.y.start + head, end=small.y.end + head)
            canvas.fields.append(Field(str(i), x, y))
        canvas.count += small.count
        canvas.touched += small.touched
        if canvas.full:
            words = bins_words(part.question.bins, part.column, part)
            canvas.over.append(label(words, i * wide + small.left, 16.0, "start", "lane-label"))
    return canvas
