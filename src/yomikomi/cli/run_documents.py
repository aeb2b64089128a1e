"""What the commands of the run print with --json."""

from __future__ import annotations

from pydantic import BaseModel, Field

from yomikomi.core.ledger.run_rows import RunRow


class RunLine(BaseModel):
    """A copy of the run, in the order in which they come."""

    copy_id: int
    carrier: str
    copy_name: str
    recipe: str
    state: str
    step: str = Field(description="what comes next of it: encode or verify")
    held: bool = Field(description="paused by a person")
    attempts: int
    predicted_bytes: float | None
    predicted_seconds: float | None
    size_bytes: int | None
    note: str

    @classmethod
    def of(cls, row: RunRow) -> RunLine:
        return cls(
            copy_id=row.copy, carrier=row.carrier, copy_name=row.name, recipe=row.recipe, state=row.state, step=row.step, held=row.held,
            attempts=row.attempts, predicted_bytes=row.sizes.expected if row.sizes else None,
            predicted_seconds=row.seconds.expected if row.seconds else None, size_bytes=row.size, note=row.trouble,
        )  # fmt: skip


class RunDocument(BaseModel):
    """``yomikomi run list``, and what the other commands of the run leave behind."""

    schema_version: int = 1
    paused: bool
    copies: list[RunLine]
