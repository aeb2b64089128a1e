"""Commands for a run on several machines."""

from __future__ import annotations

import platform
import time
from pathlib import Path
from typing import Annotated

import typer

from yomikomi.cli.root import Json, answer, say_aside
from yomikomi.core.errors import UnfinishedError

cluster = typer.Typer(
    help="Other machines that make copies of the run (docs/cluster.md).", no_args_is_help=True, add_completion=False, rich_markup_mode=None
)
Folder = Annotated[Path | None, typer.Option("--certificates", help="Folder of the certificates, where it is not the usual one.")]
Storages = Annotated[list[str], typer.Option("--storage", help="NAME=PATH: where this machine sees a storage; may be given several times.")]
_WAIT_S = 10.0


@cluster.command()
def init(certificates: Folder = None) -> None:
    """Make the certificates of a new cluster, one folder for each part; carry "worker" to the other machines."""
    from yomikomi.core.run.cluster.certificates import PARTS, begin_cluster, cluster_folder

    folder = certificates or cluster_folder()
    begin_cluster(folder)
    print(f"{folder}: a folder for each of {', '.join(PARTS)}.")
    print(f"Carry {folder / 'worker'} to each worker, over a way that nobody reads; whoever has it can run programs on all of them.")


@cluster.command()
def start(
    host: Annotated[str, typer.Option("--host", help="The address that it listens at; 0.0.0.0: at all of this machine.")] = "127.0.0.1",
    port: Annotated[int, typer.Option("--port", min=0, max=65535, help="0: any that is free.")] = 8786,
    certificates: Folder = None,
) -> None:
    """Run the hub, which hands out the work, until it is stopped (Ctrl+C). It listens for parts with a certificate only."""
    from yomikomi.core.run.cluster.certificates import cluster_folder
    from yomikomi.core.run.cluster.parts import run_hub

    run_hub(certificates or cluster_folder(), host, port, lambda address: print(f"The hub listens at {address}", flush=True))


@cluster.command()
def use(
    address: Annotated[str, typer.Argument(help="Of the hub: tls://NAME:8786")],
    storage: Storages,
    certificates: Folder = None,
) -> None:
    """Tell this machine which hub its runs may use, and where it sees the storages."""
    from yomikomi.core.run.cluster.certificates import cluster_folder, security_of
    from yomikomi.core.run.cluster.desk import DeskPlace, keep_desk_place
    from yomikomi.core.run.cluster.parts import check_address
    from yomikomi.core.run.cluster.storages import storages_of

    folder = certificates or cluster_folder()
    security_of(folder, "desk")
    keep_desk_place(folder, DeskPlace(address=check_address(address), storages=storages_of(storage)))
    print("Used when the run is started with --on cluster, or its rules say so.")


@cluster.command()
def status(certificates: Folder = None, as_json: Json = False) -> None:
    """Which workers there are, and what they do."""
    from yomikomi.cli.cluster_documents import ClusterDocument, ClusterWorker
    from yomikomi.core.run.cluster.certificates import cluster_folder
    from yomikomi.core.run.cluster.desk import known_desk_place
    from yomikomi.core.run.executors.cluster import ClusterExecutor
    from yomikomi.core.run.executors.local import LocalExecutor

    folder = certificates or cluster_folder()
    place = known_desk_place(folder)
    executor = ClusterExecutor(place, folder, LocalExecutor(), say_aside)
    until = time.monotonic() + _WAIT_S
    while executor.there is None and time.monotonic() < until:
        time.sleep(0.05)
    found = [ClusterWorker(name=one.name, slots=one.slots, refused=one.refused, does=one.does) for one in executor.workers.values()]
    there = bool(executor.there)
    executor.close(2)
    storages = {name: str(path) for name, path in place.storages.items()}
    document = ClusterDocument(address=place.address, there=there, storages=storages, workers=found)
    words = [f"{one.name:<20} {one.slots} at once  {one.refused or ', '.join(one.does) or 'idle'}" for one in found]
    answer(document, as_json, "\n".join(words) or f"{place.address}: {'no workers' if there else 'cannot be reached'}")
    if not there:
        raise UnfinishedError(f"The hub at {place.address} cannot be reached.", remedy="Is it running, and is it of the same cluster?")


def worker(
    scheduler: Annotated[str, typer.Option("--scheduler", help="Address of the hub: tls://NAME:8786")],
    storage: Storages,
    slots: Annotated[int | None, typer.Option("--slots", min=1, max=64, help="At once; one per four processors unless given.")] = None,
    name: Annotated[str | None, typer.Option("--name", help="As the run shows it; this machine's name unless given.")] = None,
    certificates: Folder = None,
) -> None:
    """Make copies for the runs of other machines, until it is stopped (Ctrl+C)."""
    from yomikomi.core.run.cluster.certificates import cluster_folder
    from yomikomi.core.run.cluster.parts import run_worker, usual_slots
    from yomikomi.core.run.cluster.storages import storages_of

    run_worker(
        certificates or cluster_folder(), scheduler, storages_of(storage), slots=slots or usual_slots(), name=name or platform.node(),
        told=lambda address: print(f"Working, at {address}", flush=True),
    )  # fmt: skip
