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
    ActionEntry("primary", "Do what the station's filled button does", "Ctrl+Return"),
    ActionEntry("reckoner", "Open the Reckoner", "Ctrl+R"),
    ActionEntry("import", "Import files or a disc image", "Ctrl+O", "shelf"),
    ActionEntry("import_folder", "Import a folder or a disc", "Ctrl+Shift+O", "shelf"),
    ActionEntry("import_table", "Import an inventory (CSV)", "Ctrl+I", "shelf"),
    ActionEntry("export_table", "Export what the shelf shows (CSV)", "Ctrl+E", "shelf"),
    ActionEntry("labels", "Print labels for what the shelf shows (PDF)", "Ctrl+L", "shelf"),
    ActionEntry("take_in", "Take in a new carrier", "Ctrl+N", "shelf"),
    ActionEntry("change", "Change the chosen carrier", "F2", "shelf"),
    ActionEntry("remove", "Take the chosen carrier off the shelf", "Ctrl+Shift+Delete", "shelf"),
    ActionEntry("find", "Find on the shelf", "Ctrl+F", "shelf"),
    ActionEntry("measure", "Measure this machine and its take drive", "F8", "shelf"),
    ActionEntry("equipment", "Say what equipment there is", "Ctrl+M", "path"),
    ActionEntry("wishes", "What the path is wanted for, and what counts", "Ctrl+J", "path"),
    ActionEntry("schools", "Choices of two schools, side by side", "Ctrl+H", "path"),
    ActionEntry("diagnose", "Where has it gone? From a symptom to its cause", "F4", "path"),
    ActionEntry("last_time", "Settings as last time", "Ctrl+T", "path"),
    ActionEntry("sheet", "Save the settings sheet (PDF or Markdown)", "Ctrl+P", "path"),
    ActionEntry("as_text", "The path in words", "Ctrl+D", "path"),
    ActionEntry("record", "Start or end the take", "F9", "capture"),
    ActionEntry("look", "Show the source without recording", "F3", "capture"),
    ActionEntry("mark", "Mark this moment", "F10", "capture"),
    ActionEntry("mark_in", "A clip begins here", "Ctrl+[", "capture"),
    ActionEntry("mark_out", "A clip ends here", "Ctrl+]", "capture"),
    ActionEntry("split", "Split here", "Ctrl+\\", "capture"),
    ActionEntry("arm", "Arm or disarm looking back", "Ctrl+B", "capture"),
    ActionEntry("keep", "Keep the last 30 s of what is looked back on", "F11", "capture"),
    ActionEntry("rehearse", "Rehearse: ten seconds, recorded and read", "Ctrl+Shift+R", "capture"),
    ActionEntry("sync", "Test the sync with flash and beep", "Ctrl+Y", "capture"),
    ActionEntry("apply_sync", "Move the sound as the sync test found, and test again", "Ctrl+Shift+Y", "capture"),
    ActionEntry("trial", "Try which codec this machine can sustain", "Ctrl+Shift+T", "capture"),
    ActionEntry("looks", "Looks on or off", "Ctrl+G", "capture"),
    ActionEntry("view", "Show the picture another way", "Ctrl+U", "capture"),
    ActionEntry("guides", "Other guides over the picture", "Ctrl+Shift+U", "capture"),
    ActionEntry("page", "The next page beside the picture", "Ctrl+Shift+P", "capture"),
    ActionEntry("merge", "Merge alternate-frame recordings of two drives", "Ctrl+Shift+M", "capture"),
    ActionEntry("inserted", "The carrier asked for is in: record it", "Ctrl+Shift+N", "capture"),
    ActionEntry("read", "Read the take", "F5", "reading"),
    ActionEntry("play", "Play or hold the loop", "F6", "treatment"),
    ActionEntry("try", "Try recipes", "F7", "balance"),
    ActionEntry("keys", "Show all keys", "F1"),
    ActionEntry("quit", "Close the window", "Ctrl+Q"),
)
