"""Why a device does not open, or went, in words a person can act on."""

from __future__ import annotations

import errno

from yomikomi.core.capture.devices.layer import DeviceLayer
from yomikomi.core.errors import SourceLostError


def refusal(path: str, error: OSError, layer: DeviceLayer) -> SourceLostError:
    """Why a device did not open, with who holds it where the system tells."""
    if error.errno == errno.EBUSY:
        holders = layer.holders(path)
        who = f" by {', '.join(holders)}" if holders else " by another program"
        return SourceLostError(f"{path} is in use{who}.", remedy="Close that program: only one can use the device at a time.")
    if error.errno in {errno.ENOENT, errno.ENODEV, errno.ENXIO}:
        return SourceLostError(f"There is no device {path}.", remedy="Plug it in, and look at the list of devices again.")
    if error.errno in {errno.EACCES, errno.EPERM}:
        return SourceLostError(f"{path} may not be opened.", remedy="Ask for the right to use it (often the group 'video' or 'audio').")
    if error.errno in {errno.ENOTTY, errno.EINVAL}:
        return SourceLostError(f"{path} is no capture device, or cannot do what was asked.", remedy="Choose a size and rate it lists.")
    return SourceLostError(f"{path} could not be opened: {error.strerror or error}.", remedy="Check its cable and power.")


def gone(path: str, error: Exception) -> SourceLostError:
    number = getattr(error, "errno", None)
    if number in {errno.ENODEV, errno.ENOENT, errno.EIO, errno.ENXIO}:
        return SourceLostError(f"{path} was unplugged.", remedy="Plug it in again; what was recorded is kept.")
    return SourceLostError(f"{path} stopped: {error}.", remedy="Check its cable and power; what was recorded is kept.")
