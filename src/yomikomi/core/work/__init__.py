"""The one front door for long work: worker processes with named states, pulled progress and prompt cancelling."""

from yomikomi.core.work.job import Job, JobState
from yomikomi.core.work.reporter import Relay, Reporter, SilentReporter

__all__ = ["Job", "JobState", "Relay", "Reporter", "SilentReporter"]
