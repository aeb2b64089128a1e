"""What the window's workers need, loaded once by the helper that they are copies of (``core/work/warm.py``)."""

LOADED = (
    "cv2", "scipy.signal", "scipy.stats", "scipy.special", "yomikomi.core.reading.scanner", "yomikomi.core.capture.session",
    "yomikomi.core.capture.cutting", "yomikomi.core.capture.sync", "yomikomi.core.capture.levels", "yomikomi.core.planning.machine_trial",
    "yomikomi.core.disc.joining", "yomikomi.core.path.searching",
    "yomikomi.core.balance.trials", "yomikomi.core.copying.making", "yomikomi.demo.tape_file", "yomikomi.core.balance.prediction",
)  # fmt: skip
