"""What the patient agreed to."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from tuning.core.entries import Capture, Decision, Form, Purpose
from tuning.core.errors import Refused
from tuning.core.types import Entry

CONSENT = "intake-consent"
NO = "no"
KEPT_BACK, MAY_BE_SHOWN = "picture-kept-back", "may be shown"
"""Decision about one picture and letters, and its outcome where nothing is against it any more."""


def check_pictures(forms: Iterable[Form], added: Iterable[Entry]) -> None:
    """Refuse new pictures of somebody who did not agree to them. Raises Refused."""
    refusal = film_refused(newest(forms))
    if refusal and any(isinstance(e, Capture) and e.purpose is Purpose.PICTURE for e in added):
        raise Refused(f"{refusal}. Nothing was saved.")


def newest(forms: Iterable[Form]) -> Mapping[str, Any] | None:
    """What was last said about it, forms oldest first; None where nobody asked."""
    return next((form.data for form in reversed(list(forms)) if form.kind == CONSENT), None)


def kept_back(decided: Iterable[Decision]) -> set[str]:
    """Uids of the pictures that the patient does not want in letters, decisions oldest first."""
    newest = {str(d.inputs["capture"]): d.outcome for d in decided if d.subject == KEPT_BACK}
    return {uid for uid, outcome in newest.items() if outcome != MAY_BE_SHOWN}


def letters_refused(data: Mapping[str, Any] | None) -> str:
    """Why no picture may leave in a letter; empty where that was agreed to, or not asked yet."""
    if film_refused(data) or (data is not None and data.get("letters") == NO):
        return "Pictures are left out: the patient did not agree to them in letters (Intake, Consent)."
    return ""


def film_refused(data: Mapping[str, Any] | None) -> str:
    """Why nothing may be filmed or photographed; empty where it was agreed to, or not asked yet."""
    if data is not None and data.get("film") == NO:
        return "The patient did not agree to pictures (Intake, Consent)"
    return ""
