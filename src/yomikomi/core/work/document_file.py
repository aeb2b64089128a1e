"""Small documents that a person names a file of: read with one refusal for all that can be wrong with it."""

from __future__ import annotations

from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from yomikomi.core.errors import WrongUseError
from yomikomi.core.work.text import what_is_wrong

# A file that is larger is none of them, bytes.
_LARGEST = 1_000_000
Model = TypeVar("Model", bound=BaseModel)


def read_document(path: Path, kind: type[Model], *, words: str, remedy: str) -> Model:
    """``words``: what the file should hold, as "recipe". Raises WrongUseError for what is missing, no ordinary file (a pipe would be waited
    for), too large, or something else."""
    try:
        if path.exists() and not path.is_file():
            raise WrongUseError(f"{path.name} is no ordinary file.", remedy=f"Name a file with a {words}.")
        if path.stat().st_size > _LARGEST:
            raise WrongUseError(f"{path.name} is too large to be a {words}.", remedy="Name a file that the program wrote.")
        return kind.model_validate_json(path.read_bytes())
    except OSError as error:
        raise WrongUseError(f"{path.name} cannot be read: {error.strerror}.", remedy=f"Name a file with a {words}.") from error
    except ValidationError as error:
        raise WrongUseError(f"{path.name} is no {words}: {what_is_wrong(error)}.", remedy=remedy) from error
