"""The sentences of a path: of its findings (``SAYS``), of what settings are planned at (``WHYS``), of its rank (``RANKS``).

Rules, plan and ranking answer with a row's key and its arguments; only here are they words.
"""

from __future__ import annotations

from collections.abc import Mapping

# What is so, as a clause that can stand within a sentence; and what to do about it.
SAYS: dict[str, tuple[str, str]] = {
    "cable missing": (
        "no cable for the {strand} runs from the {source} to the {target}",
        "Run a {what} from the {source} to the {target}.",
    ),
    "unfed": (
        "the {device} is fed by the {cable}, which is not plugged in: it passes nothing, not even to a screen",
        "Plug the {cable} in at both ends.",
    ),
    "no sound input": (
        "the {recorder} has no input for the sound of the {device}",
        "Take the sound with a computer sound interface.",
    ),
    "no sound sent": (
        "the {device} sends no sound over {socket}",
        "Take the sound with a powered microphone at the recorder's own input.",
    ),
    "converts": (
        "the {device} makes {after} of {before}: deinterlaced and enlarged for good",
        "Go into the recorder by its analogue input.",
    ),
    "unpowered microphone": (
        "the {device} has no power of its own, and this input gives none",
        "Take a powered microphone.",
    ),
    "two clocks": (
        "picture and sound are counted by two clocks, which may part over an hour",
        "Compare them at the end of a long take.",
    ),
    "takes sound away": (
        "headphones at the {device} take the sound away from the recorder",
        "Plug them in where the sound has arrived: at the screen, or at an amplifier with optical input.",
    ),
    "side bars": (
        "the 3:2 picture comes as {width} × {height} within side bars",
        "Leave the bars in the take; crop them in the treatment, to 1:1, 9:16 or 16:9 as wanted.",
    ),
    "squeezed": (
        "the wide picture is squeezed into 4:3: it looks tall and thin here",
        "Leave it so in every device; the take is flagged 16:9 and nothing is resampled.",
    ),
    "no corrector": (
        "no time-base corrector: expect skew at the top and lost frames",
        "Use a deck that has one, or an outboard one.",
    ),
    "head switching": (
        "tapes have a band of noise at the bottom, where the heads change",
        "Leave it in the take; crop it in the treatment.",
    ),
    "composite": (
        "composite mixes colour into detail: dots crawl along edges",
        "Nothing better is there at both ends.",
    ),
    "composite, S-Video there": (
        "composite mixes colour into detail: softer, and dots crawl along edges",
        "Join the S-Video sockets instead.",
    ),
    "false component": (
        "for tapes the component socket of the {source} carries what S-Video would",
        "S-Video does as well, with two plugs less.",
    ),
    "disc captured": (
        "what is on a disc is data already; playing it into a recorder loses a generation, its titles and its tracks",
        "Copy it with a disc drive.",
    ),
    "marks stay": (
        "the {device} cannot hide its information",
        "Record inside the camera and copy the card, or take another camera.",
    ),
    "hidden cadence": (
        "a project rate of 23.976 may travel inside this signal",
        "Believe the cadence in the pictures, which the reading measures, not the label.",
    ),
    "focus rate": (
        "on some cameras focus tracking works over HDMI at 24 and 25 frames a second and not at 30",
        "Prove that focus follows while the recorder is connected.",
    ),
    "watches preview": (
        "nothing but the preview in the computer, one to two seconds late, is there to watch or play on",
        "Join a screen to the loop-through.",
    ),
    "hears preview": (
        "the headphones hang on the computer, one to two seconds late",
        "Plug them in at the screen or at an amplifier.",
    ),
    "cannot take": (
        "the {device} cannot take {arrives}",
        "Have the {source} send {best}, which both know.",
    ),
    "cannot take, nothing shared": (
        "the {device} cannot take {arrives}",
        "Take another recorder.",
    ),
    "too narrow": (
        "this link needs {need}, and {there} get through {socket} into {into}",
        "Use a faster socket and cable, or a smaller size or rate.",
    ),
    "one link too narrow": (
        "one link needs {need}, and {there} get through it",
        "Set the recorder to two links.",
    ),
    "tight": (
        "this link has hardly any room left: {margin:.2f}× what is needed",
        "Keep other devices off this socket.",
    ),
    "smaller than asked": (
        "{sent} is sent where {asked} is wanted: {share:.0f} % of its pixels",
        "Take a camera and a recorder that both know it.",
    ),
    "drive too slow": (
        "the drive takes {limit:.0f} MB/s steadily and the recording needs up to {rate:.0f} MB/s",
        "Record to a faster drive, or with a codec that takes less.",
    ),
    "drive full": (
        "the drive has {free} GB left: it is full after about {lasts} of {whole}",
        "Make room on the drive of the workspace.",
    ),
    "encoder too slow": (
        "this machine was measured to encode {headroom:.2f} times what {codec} needs here",
        "Choose a codec it can keep up with, turn the preview off, or have a recorder that compresses inside.",
    ),
    "shares hub": (
        "the {device} shares one socket among all that hangs on it",
        "Plug the recorder into the computer itself.",
    ),
    "wrong input": (
        "the {device} is set to its input {chosen}, but the cable ends at {want}",
        "Set its input to {want}.",
    ),
    "wrong output": (
        "the {device} sends its picture to {chosen}, but the cable begins at {want}",
        "Set its output to {want}.",
    ),
    "wrong standard": (
        "the {device} is set to {chosen}, but {arrives} arrives",
        "Set its standard to {arrives}.",
    ),
    "range differs": (
        "the {source} sends {want} range and the {device} takes it for {other}",
        "Set the range of the {device} to {want}.",
    ),
    "matrix differs": (
        "the {device} works with {now}, and the picture comes in {want}",
        "Set its matrix to {want}.",
    ),
    "raw not taken": (
        "the {device} takes no raw pictures",
        "Send video instead.",
    ),
    "blends": (
        "the {device} blends the fields: moving things show twice, for good",
        "Keep the fields, and deinterlace afterwards.",
    ),
    "enlarges": (
        "the {device} enlarges the picture: several times the bytes, and no more detail",
        "Record the native size.",
    ),
    "level differs": (
        "the {device} takes the sound at {chosen} level",
        "Set it to {right}, and leave loud passages below −2 dB.",
    ),
    "sound ahead": (
        "the camera's picture comes {lead} ms after the sound that goes past it",
        "Delay the sound to match, and prove it with a clap.",
    ),
    "sound behind": (
        "the {device} delays sound that came with its picture",
        "Set its sound delay to none.",
    ),
    "silent input": (
        "the program listens to {chosen}, which is silent on this path",
        "Choose {right}.",
    ),
    "interlaced sport": (
        "fast sport in interlaced pictures: every second line lags behind",
        "Send {fast}: progressive beats interlaced here.",
    ),
    "not plugged in": (
        "the {device} is not plugged in",
        "Push it home at both ends.",
    ),
    "wrong option": (
        "the {device} {says}",
        "Set “{knob}” to: {right}.",
    ),
    "drive full, codec fits": (
        "the drive has {free} GB left: it is full after about {lasts} of {whole}",
        "Make room on the drive of the workspace, or record with {codec}.",
    ),
    "card too slow": (
        "the {device} takes {limit:.0f} MB/s of the {rate:.0f} MB/s needed: it stops after about {lasts:.0f} s",
        "Take a faster card, or record a smaller picture.",
    ),
    "card too slow, can compress": (
        "the {device} takes {limit:.0f} MB/s of the {rate:.0f} MB/s needed: it stops after about {lasts:.0f} s",
        "Compress losslessly, take a faster card, or record a smaller picture.",
    ),
    "system drive": (
        "the recording shares the system drive with everything else",
        "Record to a separate solid-state drive.",
    ),
    "field order differs": (
        "the {device} takes the fields for {chosen}",
        "Set it to {right}. {why}",
    ),
    "two links": (
        "two links are recorded as alternate frames on two drives",
        "Merge them afterwards, or use one link.",
    ),
    "two links needed": (
        "two links are recorded as alternate frames on two drives",
        "Merge them afterwards.",
    ),
}

# Why a setting is planned as it is.
WHYS: dict[str, str] = {
    "format as asked": "It is the format wanted for the recording, and the recorder takes it.",
    "progressive for sport": "For fast sport progressive beats interlaced: every frame is complete.",
    "nearest format": "The nearest to {asked} that both ends know.",
    "cable ends": "The {socket} cable ends here.",
    "cable begins": "The {socket} cable begins here.",
    "as it arrives": "It is what arrives: {format}.",
    "limited range": "Tapes, discs and cameras are recorded in limited range.",
    "full range": "The source sends full range; both ends agree.",
    "matrix bt2020": "The source sends wide colour and says so.",
    "matrix bt601": "Standard definition is recorded in BT.601.",
    "matrix bt709": "High definition is recorded in BT.709.",
    "field order by convention": "The convention for {format}; recorders differ, and the reading of the rehearsal decides.",
    "blended as asked": "Asked for: nothing has to be done afterwards. It costs sharpness in movement, for good.",
    "fields kept": "Fields are kept: software deinterlaces later and better, and it can be undone.",
    "enlarged as asked": "Asked for: it adds bytes and no detail.",
    "native size": "Native size: nothing is invented, nothing is lost.",
    "microphone level": "A microphone gives −40 dBu, about a fortieth of what a player gives.",
    "professional as asked": "Asked for: nothing clips, but a consumer player reads about 12 dB too low.",
    "consumer level": "Players give −10 dBV, with a hi-fi track and without; the peak of the rehearsal decides.",
    "camera delays picture": "The picture leaves the camera about {lead} ms after the sound.",
    "same way": "Picture and sound come by the same way.",
    "two links needed": "One link is too narrow for this rate: each carries every other frame, to be merged afterwards.",
    "one link enough": "One link carries this rate; there is nothing to merge afterwards.",
    "separate interface": "The sound comes by the separate interface.",
    "own line input": "The sound comes by the computer's own line input.",
    "default input works": "The one under this recorder's name is often silent; the default line works.",
    "same recorder": "Picture and sound come from the same recorder.",
    "compressed inside": "The recorder compresses inside; encoding once more would lose again.",
    "codec ffv1": "Nothing is lost, and it can be encoded again for the next, better screen.",
    "codec rdd36_hq": "Editors cut it directly; it is more than a tape holds.",
    "codec h264_high": "Small enough for long sessions; a generation is spent.",
    "only drive": "There is no other drive.",
    "no raw taken": "The recorder takes no raw pictures.",
    "video as asked": "Asked for: it can be edited as it is.",
    "wide as asked": "Asked for: PQ in 10 bits; every screen and editor after it must know it.",
    "standard colour": "Every screen and editor shows it as it is.",
    "too few bits": "The recorder's 8 bits are too few for wide colour.",
    "card lasts longer": "The card takes it for longer, and nothing is lost.",
    "as always": "{why}",
}

# What a path's rank rests on.
RANKS: dict[str, str] = {
    "no picture": "no picture arrives",
    "as data": "the picture comes as data, whole",
    "composite": "composite mixes colour into detail",
    "S-Video": "S-Video keeps colour and detail apart",
    "component": "component keeps all three signals apart",
    "silent": "there is no sound to take",
    "no sound": "no sound arrives",
    "sound complete": "the sound is complete",
    "own line input": "the computer's own line input converts the sound, plainly",
    "sound interface": "a sound interface of its own converts the sound",
    "recorder converts": "the recorder converts the sound",
    "corrected": "a time-base corrector steadies it",
    "steady": "the clock is steady",
    "no lag": "nothing lags behind",
    "tightest link": "the tightest link has {margin:.1f}× what is needed",
    "devices": "{count} devices take part",
    "requirements missed": "it cannot give {missing}",
    "requirements met": "every requirement is met",
    "only path": "It is the only path with this equipment.",
    "breaks": "It breaks: {clause}.",
    "ahead": "Ahead of the next in {side}: there {because}.",
    "behind": "Behind the best in {side}: {because}.",
    "equal to next": "As good as the next; {because}.",
    "equal to best": "As good as the best; {because}.",
}


def clause(key: str, args: Mapping[str, object]) -> str:
    """What is so, as it stands within a sentence."""
    return SAYS[key][0].format_map(args)


def remedy(key: str, args: Mapping[str, object]) -> str:
    """What to do, as sentences."""
    return SAYS[key][1].format_map(args)


def said(key: str, **args: object) -> str:
    """What a rank rests on."""
    return RANKS[key].format_map(args)
