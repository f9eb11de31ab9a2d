"""What an act asks of a body: tests, recordings and rungs name these in the knowledge files, limits and rules, too."""

from __future__ import annotations

DEMANDS = {
    "weight": "weight on the leg",
    "load": "full effort or added load",
    "fast": "speed or impact",
    "hip": "hip range",
    "knee": "knee range, or a pull at the knee",
    "ankle": "ankle range",
    "turn": "turning the leg",
    "bend": "bending forward",
    "balance": "balance",
    "prone": "lying on the belly",
    "supine": "lying long on the back",
    "arm": "full effort of an arm",
}
"""Demands by id, with the words for them."""
