"""Series shipped with general libraries, to hold forecasts against."""

from __future__ import annotations

import numpy as np

Floats = np.ndarray


def shipped() -> list[tuple[str, str, Floats]]:
    """Return (name, grain, values) of every series, as the libraries ship them."""
    from statsmodels import datasets as sm

    found: list[tuple[str, str, Floats]] = []

    def add(name: str, grain: str, values: object) -> None:
        numbers = np.asarray(values, dtype=np.float64)
        found.append((name, grain, numbers))

    macro = sm.macrodata.load_pandas().data
    for column in macro.columns[2:]:
        add(f"macrodata {column}", "quarter", macro[column])
    danish = sm.danish_data.load_pandas().data
    for column in ("lrm", "lry", "lpy", "ibo", "ide"):
        add(f"danish_data {column}", "quarter", danish[column])
    inflation = sm.interest_inflation.load_pandas().data
    for column in ("Dp", "R"):
        add(f"interest_inflation {column}", "quarter", inflation[column])
    copper = sm.copper.load_pandas().data
    for column in ("WORLDCONSUMPTION", "COPPERPRICE", "INCOMEINDEX", "ALUMPRICE"):
        add(f"copper {column}", "year", copper[column])
    co2 = sm.co2.load_pandas().data["co2"]
    add("co2 monthly", "month", co2.resample("MS").mean())
    add("co2 weekly", "week", co2[-600:])
    elnino = sm.elnino.load_pandas().data.set_index("YEAR")
    add("elnino", "month", elnino.to_numpy().ravel())
    add("sunspots", "year", sm.sunspots.load_pandas().data["SUNACTIVITY"])
    add("nile", "year", sm.nile.load_pandas().data["volume"])
    return found
