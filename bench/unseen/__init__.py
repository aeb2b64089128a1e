"""A second proof, kept apart: material unlike the simulation, on which nothing in the program is tuned.

Photographs of a reference package that slide, turn and shake, and real clips whose pictures are taken as instants, are made into
fields, film, repeats of many periods, blends, stills, title cards, rolls and mixtures, spoiled by noise, wobble and compression of
its own making, and read whole by the program. It shares no code with the simulation. To add a kind of material, add a row to
``MOTIONS`` (``pictures.py``) or ``FORMS`` (``forms.py``); to add a way to spoil it, one to ``SPOILS`` (``spoiling.py``).
"""
