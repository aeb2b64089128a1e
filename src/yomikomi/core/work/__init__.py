"""The one front door for long work: worker processes with named states, pulled progress and prompt cancelling."""

from yomikomi.core.work.job import Job, JobState
from yomikomi.core.work.reporter import Reporter, SilentReporter

__all__ = ["Job", "JobState", "Reporter", "SilentReporter"]
