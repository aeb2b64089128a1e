"""Everything that can be done by key or by name, in one table: the go-to box and the shortcuts are made from it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class StationEntry:
    """``number`` is its place in the order of work; stations that are not built yet have no entry."""

    key: str
    number: int
    words: str
    icon: str
    purpose: str


STATIONS = (
    StationEntry("shelf", 1, "Shelf", "library", "what there is to read in"),
    StationEntry("path", 2, "Path", "route", "how picture, sound and power get to the recorder"),
    StationEntry("capture", 3, "Capture", "cassette-tape", "record a take"),
    StationEntry("reading", 4, "Reading", "scan-search", "what the take is"),
    StationEntry("treatment", 5, "Treatment", "layers", "what will be corrected"),
    StationEntry("balance", 6, "Balance", "scale", "what copies would cost"),
    StationEntry("run", 7, "Run", "moon-star", "copies being made"),
    StationEntry("ledger", 8, "Ledger", "book-open", "what was made, and its proof"),
)


@dataclass(frozen=True)
class ActionEntry:
    """A command. ``station``: where it belongs; empty for everywhere."""

    key: str
    words: str
    shortcut: str
    station: str = ""


ACTIONS = (
    ActionEntry("goto", "Go to a carrier, station or command", "Ctrl+K"),
    ActionEntry("primary", "Next step of the station (the filled button)", "Ctrl+Return"),
    ActionEntry("reckoner", "Open the Reckoner", "Ctrl+R"),
    ActionEntry("import", "Import files or a disc image", "Ctrl+O", "shelf"),
    ActionEntry("import_folder", "Import a folder or a disc", "Ctrl+Shift+O", "shelf"),
    ActionEntry("import_table", "Import an inventory (CSV)", "Ctrl+I", "shelf"),
    ActionEntry("export_table", "Export what the shelf shows (CSV)", "Ctrl+E", "shelf"),
    ActionEntry("labels", "Print labels for what the shelf shows (PDF)", "Ctrl+L", "shelf"),
    ActionEntry("take_in", "Add a new carrier", "Ctrl+N", "shelf"),
    ActionEntry("change", "Edit the selected carrier", "F2", "shelf"),
    ActionEntry("remove", "Remove the selected carrier from the shelf", "Ctrl+Shift+Delete", "shelf"),
    ActionEntry("find", "Find on the shelf", "Ctrl+F", "shelf"),
    ActionEntry("measure", "Measure this machine and its take drive", "F8", "shelf"),
    ActionEntry("equipment", "Equipment", "Ctrl+M", "path"),
    ActionEntry("wishes", "Requirements for the path", "Ctrl+J", "path"),
    ActionEntry("schools", "Ways of working, side by side", "Ctrl+H", "path"),
    ActionEntry("diagnose", "Trace a fault, from a symptom to its cause", "F4", "path"),
    ActionEntry("last_time", "Use the settings of last time", "Ctrl+T", "path"),
    ActionEntry("sheet", "Save the settings sheet (PDF or Markdown)", "Ctrl+P", "path"),
    ActionEntry("as_text", "The path in words", "Ctrl+D", "path"),
    ActionEntry("record", "Start or stop the take", "F9", "capture"),
    ActionEntry("look", "Show the source without recording", "F3", "capture"),
    ActionEntry("mark", "Mark this moment", "F10", "capture"),
    ActionEntry("mark_in", "Clip in point", "Ctrl+[", "capture"),
    ActionEntry("mark_out", "Clip out point", "Ctrl+]", "capture"),
    ActionEntry("split", "Split here", "Ctrl+\\", "capture"),
    ActionEntry("arm", "Start or stop the look-back buffer", "Ctrl+B", "capture"),
    ActionEntry("keep", "Keep the last 30 s of the look-back buffer", "F11", "capture"),
    ActionEntry("rehearse", "Rehearse: record and read ten seconds", "Ctrl+Shift+R", "capture"),
    ActionEntry("sync", "Test sync with flash and beep", "Ctrl+Y", "capture"),
    ActionEntry("apply_sync", "Apply the audio delay found, and test again", "Ctrl+Shift+Y", "capture"),
    ActionEntry("trial", "Test which codec this machine can sustain", "Ctrl+Shift+T", "capture"),
    ActionEntry("looks", "Monitor on or off", "Ctrl+G", "capture"),
    ActionEntry("view", "Change the picture size", "Ctrl+U", "capture"),
    ActionEntry("guides", "Change the guides over the picture", "Ctrl+Shift+U", "capture"),
    ActionEntry("page", "The next page beside the picture", "Ctrl+Shift+P", "capture"),
    ActionEntry("merge", "Merge alternate-frame recordings of two drives", "Ctrl+Shift+M", "capture"),
    ActionEntry("inserted", "The next carrier is inserted: record it", "Ctrl+Shift+N", "capture"),
    ActionEntry("read", "Read the take", "F5", "reading"),
    ActionEntry("play", "Play or pause the loop", "F6", "treatment"),
    ActionEntry("undo", "Undo the last change to the treatment", "Ctrl+Z", "treatment"),
    ActionEntry("redo", "Redo what was undone", "Ctrl+Shift+Z", "treatment"),
    ActionEntry("as_suggested", "Set the treatment as suggested", "Alt+S", "treatment"),
    ActionEntry("try", "Run trials", "F7", "balance"),
    ActionEntry("player", "Play it in the player, with sound", "F12"),
    ActionEntry("larger", "Everything larger", "Ctrl++"),
    ActionEntry("smaller", "Everything smaller", "Ctrl+-"),
    ActionEntry("usual_size", "Everything at its usual size", "Ctrl+0"),
    ActionEntry("form", "Light, dark or high contrast", "Ctrl+Shift+D"),
    ActionEntry("keys", "Show all shortcuts", "F1"),
    ActionEntry("quit", "Close the window", "Ctrl+Q"),
)
