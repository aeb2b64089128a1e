"""The machine trial of everything that the forecast wants to know, and what its result comes to."""

from __future__ import annotations

from pathlib import Path

from yomikomi.core.balance.models import TrialSet
from yomikomi.core.planning.machine import MachineSpeeds
from yomikomi.core.planning.machine_trial import MachineTrialRequest, TrialEncoder, capture_encoders
from yomikomi.core.recipes.codecs import TRIED

# A measurement that waited for longer than this part of its time is worth making again.
_DISTURBED = 0.15


def full_trial(folder: Path) -> MachineTrialRequest:
    """The drive of ``folder``, the capture codecs, and each codec of copies at medium effort."""
    copies = tuple(
        TrialEncoder(key, codec.encoder, (("preset", codec.speed_at("medium")), ("crf", str(codec.probes[1]))))
        for key, codec in TRIED.items()
    )
    return MachineTrialRequest(folder, (*capture_encoders(), *copies))


def was_disturbed(measured: MachineSpeeds | TrialSet) -> bool:
    """Whether other programs held it up for so long that it is worth measuring again."""
    return measured.disturbed > _DISTURBED
