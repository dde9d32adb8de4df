"""Write the styles that are made and not written: the colours, and of Bulma what pages use.

    python tools/cut_styles.py

Run by hand where a colour changed in ``draw/frame/theme.py``, or a page uses another part of
Bulma; ``tests/web/test_styles.py`` tells where that was forgotten.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from night_trail.draw.frame.theme import ON_PAPER, ONLY_ON_PAGES, TOKENS

ROOT = Path(__file__).parent.parent / "night_trail"
BULMA = Path(__file__).parent / "vendor" / "bulma-1.0.4.min.css"
CUT = ROOT / "site" / "static" / "vendor" / "bulma-1.0.4.cut.css"
TOKENS_CSS = ROOT / "site" / "static" / "css" / "tokens.css"

Rule = tuple[str, str]
"""What stands before a brace, and all between it and its end."""


def colours() -> str:
    """Return the colours of both themes, and of paper, as CSS variables."""
    made = []
    for scheme, selector in (("night", ':root, [data-theme="night"]'), ("day", '[data-theme="day"]')):
        made.append(
            _block(selector, TOKENS[scheme] | ONLY_ON_PAGES[scheme], "dark" if scheme == "night" else "light")
        )
    paper = TOKENS["day"] | ONLY_ON_PAGES["day"] | ON_PAPER
    inner = _block(':root, [data-theme="night"], [data-theme="day"]', paper, "light")
    made.append("@media print {\n" + "".join(f"  {line}\n" for line in inner.splitlines()) + "}\n")
    return "/* Made by tools/cut_styles.py of draw/frame/theme.py: change colours there. */\n" + "".join(made)


def _block(selector: str, tokens: dict[str, str], scheme: str) -> str:
    lines = "".join(f"  --{name}: {colour};\n" for name, colour in tokens.items())
    return f"{selector} {{\n{lines}  color-scheme: {scheme};\n}}\n"


def bulma() -> str:
    """Return the rules of Bulma that pages use, with the variables these need."""
    used = _used()
    head, rules = _head(BULMA.read_text())
    kept = list(_kept(rules, used))
    wanted = _variables("".join(body for _, body in kept) + _own_styles())
    while True:
        found = [
            (name, _only(body, wanted)) if _sets_variables(body) else (name, body) for name, body in kept
        ]
        more = wanted | _variables("".join(body for _, body in found))
        if more == wanted:
            break
        wanted = more
    text = "".join(f"{name}{{{body}}}" for name, body in found if body)
    return f"{head}\n/* Cut by tools/cut_styles.py to what pages use. */\n{text}\n"


def _used() -> set[str]:
    """Return the classes and elements of pages, as templates, scripts and the code behind them write them."""
    words: set[str] = {"html", "body"}
    for pattern in ("site/templates/**/*.html", "site/static/js/*.js", "**/*.py"):
        for path in ROOT.glob(pattern):
            text = path.read_text()
            words |= set(re.findall(r"<([a-z][a-z0-9]*)", text))
            words |= set(re.findall(r"createElement\(\"([a-z]+)\"", text))
            for classes in re.findall(r"class(?:Name|_)?\s*=\s*[\"']([^\"']*)", text):
                words |= set(re.findall(r"[a-z][\w-]*", classes))
    return words


def _own_styles() -> str:
    return "".join(p.read_text() for p in (ROOT / "site" / "static" / "css").glob("*.css"))


def _head(text: str) -> tuple[str, list[Rule]]:
    """Return what stands before the rules, which must be kept for its licence, and the rules."""
    end = text.rindex("*/", 0, 2_000) + 2
    charset, _, body = text[end:].rpartition(";") if text[end:].count("{") == 0 else ("", "", text[end:])
    return (text[:end] + charset).strip(), list(_rules(body))


def _rules(text: str) -> Iterator[Rule]:
    at = 0
    while (brace := text.find("{", at)) >= 0:
        depth, end = 1, brace + 1
        while depth:
            depth += {"{": 1, "}": -1}.get(text[end], 0)
            end += 1
        yield text[at:brace].strip(), text[brace + 1 : end - 1]
        at = end


def _kept(rules: list[Rule], used: set[str]) -> Iterator[Rule]:
    for name, body in rules:
        if name.startswith("@media"):
            # themes are told apart by a colour scheme of our own
            if "prefers-color-scheme" in name:
                continue
            inner = "".join(f"{n}{{{b}}}" for n, b in _kept(list(_rules(body)), used))
            if inner:
                yield name, inner
        elif name.startswith("@"):
            continue  # no page uses its animations or fonts
        else:
            kept = [one for one in _selectors(name) if _is_used(one, used)]
            if kept:
                yield ",".join(kept), body


def _selectors(text: str) -> list[str]:
    """Return the selectors of a rule: commas inside brackets part nothing."""
    return [part.strip() for part in re.split(r",(?![^(\[]*[)\]])", text)]


def _is_used(selector: str, used: set[str]) -> bool:
    if "[data-theme" in selector or ".theme-" in selector:
        return False
    # a selector that excludes classes needs only what it is about
    plain = re.sub(r":not\([^)]*\)|::?[a-z-]+(\([^)]*\))?|\[[^\]]*\]", "", selector)
    names = re.findall(r"[.#]?[A-Za-z][\w-]*", plain)
    return all(name.lstrip(".#") in used for name in names)


def _sets_variables(body: str) -> bool:
    return body.lstrip().startswith("--")


def _variables(text: str) -> set[str]:
    return set(re.findall(r"var\((--bulma-[\w-]+)", text))


def _only(body: str, wanted: set[str]) -> str:
    lines = [line for line in body.split(";") if line]
    return ";".join(
        line for line in lines if not line.startswith("--bulma") or line.partition(":")[0] in wanted
    )


if __name__ == "__main__":
    TOKENS_CSS.write_text(colours())
    CUT.write_text(bulma())
    print(f"{CUT.name}: {CUT.stat().st_size:,} bytes of {BULMA.stat().st_size:,}")
