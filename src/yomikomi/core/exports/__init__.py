"""What others open: everything as JSON or CSV and back, reports, archive packages, records as XML, timelines, checksums of frames."""
