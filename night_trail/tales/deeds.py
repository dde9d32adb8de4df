"""What is done to the stops of a tale, kept so that it can be undone and done again.

An undo puts back the stops that were touched, and only where nobody changed them since:
of two writers neither takes back what the other did.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from contextlib import contextmanager
from typing import Any

from django.db import transaction

from night_trail.core.errors import NightTrailError
from night_trail.tales.models import Deed, Stop, Tale
from night_trail.trails.models import Step

MOST_DEEDS = 100
FIELDS = (
    "position", "step_id", "heading", "text", "chapter", "annotations", "claim", "verdict",
    "scene", "beats", "beside_id", "large", "overview", "frozen", "image_id", "image_alt", "notes", "chips",
)  # fmt: skip

State = dict[str, dict[str, Any] | None]


def _state(tale: Tale) -> State:
    return {str(stop["id"]): {f: stop[f] for f in FIELDS} for stop in tale.stops.values("id", *FIELDS)}


@contextmanager
def deed(tale: Tale, person: Any, said: str) -> Iterator[None]:
    """Keep what is done within to a tale's stops, under these words; nothing is done where it fails."""
    with transaction.atomic():
        before = _state(tale)
        yield
        after = _state(tale)
        touched = [pk for pk in {**before, **after} if before.get(pk) != after.get(pk)]
        if not touched:
            return
        tale.deeds.filter(undone=True).delete()
        tale.deeds.create(
            person=person,
            said=said[:200],
            before={pk: before.get(pk) for pk in touched},
            after={pk: after.get(pk) for pk in touched},
        )
        old = tale.deeds.values_list("pk", flat=True)[MOST_DEEDS:]
        tale.deeds.filter(pk__in=list(old)).delete()


def next_to_undo(tale: Tale, person: Any) -> Deed | None:
    """Return the last thing a person did to a tale."""
    return tale.deeds.filter(person=person, undone=False).first()


def next_to_redo(tale: Tale, person: Any) -> Deed | None:
    """Return the last thing a person took back."""
    return tale.deeds.filter(person=person, undone=True).order_by("id").first()


def undo(tale: Tale, person: Any) -> Deed:
    """Take back what a person did last.

    Raises
    ------
    NightTrailError
        Where there is nothing, or a stop was changed since.
    """
    found = next_to_undo(tale, person)
    if found is None:
        raise NightTrailError("There is nothing to take back", "", "Go on writing.")
    _put(tale, found.after, found.before, found.said)
    Deed.objects.filter(pk=found.pk).update(undone=True)
    return found


def redo(tale: Tale, person: Any) -> Deed:
    """Do again what a person took back last; raises as ``undo`` does."""
    found = next_to_redo(tale, person)
    if found is None:
        raise NightTrailError("There is nothing to do again", "", "Go on writing.")
    _put(tale, found.before, found.after, found.said)
    Deed.objects.filter(pk=found.pk).update(undone=False)
    return found


def _put(tale: Tale, here: State, there: State, said: str) -> None:
    """Make stops that are as ``here`` says what ``there`` says they were."""
    with transaction.atomic():
        now = _state(tale)
        for pk, wanted in there.items():
            is_now, was = now.get(pk), here[pk]
            if was is None or wanted is None or is_now is None:
                # a stop that comes or goes; where it was moved since it is still the same
                known = set(was or wanted or ()) - {"position"}
                if _only(is_now, known) != _only(was, known):
                    raise _changed_since(said)
                _must_stand(wanted)
                if wanted is None:
                    Stop.objects.filter(pk=pk, tale=tale).delete()
                else:
                    Stop.objects.create(pk=pk, tale=tale, **wanted)
                    tale.comments.filter(stop=None, stop_was=pk).update(stop=pk)
                continue
            # a deed of an earlier release knows fewer fields
            touched = [f for f in FIELDS if f in was and was[f] != wanted[f]]
            if any(is_now[f] != was[f] for f in touched):
                raise _changed_since(said)
            _must_stand(wanted)
            Stop.objects.filter(pk=pk, tale=tale).update(**{f: wanted[f] for f in touched})


def _changed_since(said: str) -> NightTrailError:
    return NightTrailError(f"A stop was changed since ({said})", "", "It stays as it is; change it by hand.")


def _only(fields: dict[str, Any] | None, known: Collection[str]) -> dict[str, Any] | None:
    return None if fields is None else {k: v for k, v in fields.items() if k in known}


def _must_stand(fields: dict[str, Any] | None) -> None:
    if fields is None:
        return
    for name in ("step_id", "beside_id"):
        if fields[name] is not None and not Step.objects.filter(pk=fields[name]).exists():
            raise NightTrailError("Its trail was deleted meanwhile", "", "It cannot come back.")
