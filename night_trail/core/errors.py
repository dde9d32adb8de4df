"""The one family of errors a person may meet."""

from __future__ import annotations


class NightTrailError(Exception):
    """Something asked for cannot be done, said in one plain sentence.

    Parameters
    ----------
    what
        What is wrong, without a full stop.
    where
        The column, file or field it concerns; may be empty.
    way_on
        What can be done instead; may be empty.

    Examples
    --------
    >>> print(NightTrailError("There is no column “lat”", "night_buses", "Did you mean late_min?"))
    There is no column “lat” (night_buses). Did you mean late_min?
    """

    def __init__(self, what: str, where: str = "", way_on: str = "") -> None:
        self.what, self.where, self.way_on = what, where, way_on
        super().__init__(f"{self._stated()}.{' ' + way_on if way_on else ''}")

    def _stated(self) -> str:
        return f"{self.what} ({self.where})" if self.where else self.what


class Unreadable(NightTrailError):
    """A file that cannot be read as a table; its name comes first.

    >>> print(Unreadable("The file is empty", "trips.csv"))
    trips.csv: the file is empty.
    """

    def _stated(self) -> str:
        return f"{self.where}: {self.what[0].lower()}{self.what[1:]}" if self.where else self.what


class BadQuestion(NightTrailError):
    """A question, condition or turn that the table cannot answer."""


class NoLonger(NightTrailError):
    """Something that was kept and cannot be read any more."""


class Beyond(BadQuestion):
    """A question that cannot be answered from all rows of an attached table, only from the part at hand."""
