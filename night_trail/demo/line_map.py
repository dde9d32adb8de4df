"""The line map of the night buses as it hangs at the stops: depots at the left, districts at the right."""

from __future__ import annotations

from night_trail.demo.night_buses import DEPOTS, DISTRICTS, LINES

WIDE, HIGH = 1_000, 600
LEFT, RIGHT = 190, 800
FILE = "line map of Marrow Haven.svg"
INK, PALE = "#5b6270", "#c9cdd6"


def _depot(name: str) -> float:
    return HIGH * (DEPOTS.index(name) + 0.5) / len(DEPOTS)


def _ends() -> dict[str, tuple[float, float, float]]:
    """Return for each line the heights it leaves its depot and its district at, and where it turns."""
    found = {}
    within = {district: [line for line in LINES if line[1] == district] for district in DISTRICTS}
    leaving = {depot: [line for line in LINES if line[2] == depot] for depot in DEPOTS}
    for k, line in enumerate(LINES):
        name, district, depot, _ = line
        here, there = leaving[depot], within[district]
        start = _depot(depot) + 22 * (here.index(line) - (len(here) - 1) / 2)
        room = HIGH / len(DISTRICTS)
        end = room * (DISTRICTS.index(district) + (there.index(line) + 1) / (len(there) + 1))
        found[name] = start, end, LEFT + 60.0 + 22 * (k % 7)
    return found


def line_map() -> bytes:
    """Return the map as SVG."""
    parts = [f'<rect width="{WIDE}" height="{HIGH}" fill="#fff"/>']
    for start, end, turn in _ends().values():
        d = f"M{LEFT} {start:.0f}H{turn:.0f}L{turn + 0.6 * abs(end - start):.0f} {end:.0f}H{RIGHT}"
        parts.append(f'<path d="{d}" fill="none" stroke="{PALE}" stroke-width="7" stroke-linejoin="round"/>')
    for depot in DEPOTS:
        y = _depot(depot)
        parts.append(f'<rect x="{LEFT - 14}" y="{y - 62:.0f}" width="16" height="124" rx="4" fill="{INK}"/>')
        parts.append(_text(depot, LEFT - 26, y + 6, "end"))
    for i, district in enumerate(DISTRICTS):
        top = HIGH * i / len(DISTRICTS)
        parts.append(
            f'<rect x="{RIGHT}" y="{top + 12:.0f}" width="10" height="{HIGH / len(DISTRICTS) - 24:.0f}" '
            f'rx="4" fill="{INK}"/>'
        )
        parts.append(_text(district, RIGHT + 22, top + HIGH / len(DISTRICTS) / 2 + 6, "start"))
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDE} {HIGH}">{"".join(parts)}</svg>'
    return svg.encode()


def _text(said: str, x: float, y: float, anchor: str) -> str:
    return (
        f'<text x="{x:.0f}" y="{y:.0f}" font-size="22" font-family="Figtree" fill="{INK}" '
        f'text-anchor="{anchor}">{said}</text>'
    )


def placed_lines() -> dict[str, tuple[float, float]]:
    """Return where each line stands on it: shares of its width from the left, of its height from the top."""
    found = {}
    for k, (name, (_, end, _)) in enumerate(_ends().items()):
        found[name] = round((RIGHT - 150 - 110 * (k % 2)) / WIDE, 4), round(end / HIGH, 4)
    return found
