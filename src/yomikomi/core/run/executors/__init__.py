"""Who runs a job: processes of this machine, or others."""
