"""Markdown as paragraphs of runs, for files that know no markup."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from markdown_it.token import Token

from night_trail.tales.prose import FIGURE, parsed

Kind = Literal["paragraph", "item", "numbered", "quote", "heading", "code"]


@dataclass(frozen=True)
class Run:
    """A piece of text in one style; a figure is bound to its picture."""

    text: str
    bold: bool = False
    italic: bool = False
    link: str = ""
    figure: bool = False


@dataclass(frozen=True)
class Block:
    """A paragraph, a heading, or an item of a list, ``level`` deep from 0."""

    kind: Kind
    runs: tuple[Run, ...]
    level: int = 0

    @property
    def plain(self) -> str:
        """Its words alone."""
        return "".join(run.text for run in self.runs)


def blocks(text: str) -> Iterator[Block]:  # noqa: C901  (one case a token)
    """Yield the blocks of a text; a link that leads neither to the web nor to mail is words alone."""
    lists: list[Kind] = []
    quotes = 0
    heading = False
    for token in parsed(text):
        match token.type:
            case "bullet_list_open":
                lists.append("item")
            case "ordered_list_open":
                lists.append("numbered")
            case "bullet_list_close" | "ordered_list_close":
                lists.pop()
            case "blockquote_open":
                quotes += 1
            case "blockquote_close":
                quotes -= 1
            case "heading_open":
                heading = True
            case "heading_close":
                heading = False
            case "inline":
                runs = tuple(_runs(token.children or []))
                kind: Kind = (
                    lists[-1] if lists else "heading" if heading else "quote" if quotes else "paragraph"
                )
                yield Block(kind, runs, max(len(lists) - 1, 0))
            case "fence" | "code_block":
                yield Block("code", (Run(token.content.rstrip("\n")),))


def _runs(tokens: list[Token]) -> Iterator[Run]:  # noqa: C901  (one case a token)
    bold = italic = 0
    link = ""
    for token in tokens:
        match token.type:
            case "strong_open":
                bold += 1
            case "strong_close":
                bold -= 1
            case "em_open":
                italic += 1
            case "em_close":
                italic -= 1
            case "link_open":
                link = str(token.attrs.get("href", ""))
            case "link_close":
                link = ""
            case "softbreak":
                yield Run(" ", bold > 0, italic > 0)
            case "hardbreak":
                yield Run("\n", bold > 0, italic > 0)
            case "text" | "code_inline" | "html_inline" if token.content:
                bound = link.startswith(FIGURE)
                leads = link if link.startswith(("http://", "https://", "mailto:")) else ""
                yield Run(token.content, bold > 0, italic > 0, leads, bound)


def clean(text: str) -> str:
    """Return a text without what XML cannot hold."""
    return "".join(c for c in text if c >= " " or c in "\n\t")
