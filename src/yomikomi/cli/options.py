"""Options that commands of all kinds share."""

from __future__ import annotations

from typing import Annotated

import typer

Json = Annotated[bool, typer.Option("--json", help="Print machine-readable JSON on standard output, and nothing else there.")]
