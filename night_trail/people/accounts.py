"""Accounts: made by an invitation, and signed out everywhere at once."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import SESSION_KEY, get_user_model
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.utils import timezone

from night_trail.core.errors import NightTrailError
from night_trail.people.models import Invitation


def accept(invitation: Invitation, name: str, password: str) -> Any:
    """Make the account that an invitation is for, and return its person.

    Raises
    ------
    NightTrailError
        Where the name is taken or no name, the password is too weak, or the
        invitation was used in the same moment.
    """
    model = get_user_model()
    person = model(username=model.normalize_username(name.strip()))
    try:
        person.clean_fields(exclude=["password"])
        validate_password(password, person)
    except ValidationError as error:
        raise NightTrailError(" ".join(error.messages).rstrip("."), "", "Choose otherwise.") from None
    person.set_password(password)
    try:
        with transaction.atomic():
            person.save()
            if not Invitation.objects.filter(pk=invitation.pk, used=None).update(used=person):
                raise NightTrailError("The invitation was used meanwhile", "", "Ask for another.")
    except IntegrityError:
        raise NightTrailError(
            f"Somebody is called “{person.username}” already", "", "Choose another name."
        ) from None
    return person


def sign_out_everywhere(person: Any) -> int:
    """End every session of a person; return how many there were."""
    ended = 0
    for session in Session.objects.filter(expire_date__gt=timezone.now()).iterator():
        if session.get_decoded().get(SESSION_KEY) == str(person.pk):
            session.delete()
            ended += 1
    return ended
