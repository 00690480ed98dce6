"""What a handover may be for: each with its title, a line on it, and the ending of its file."""

from kelvarn.handover.carry import Real
from kelvarn.sentence import say

USER, SHEET, JSON, BOARD, BOUGHT, WIRING = "user", "sheet", "json", "board", "bought", "wiring"
TARGETS = (
    (SHEET, say("Sheet to print"), say("for who builds it"), "html"),
    (USER, say("Page by the machine"), say("for who uses it"), "html"),
    (BOARD, say("A board of your own"), say("C99, MicroPython or Python"), ""),
    (WIRING, say("Wiring and parts"), say("drawing, list, ratings"), ""),
    (BOUGHT, say("A controller you bought"), say("numbers to type in"), "html"),
    (JSON, say("Settings as JSON"), say("for your own code"), "json"),
)
NUMBERS: tuple[tuple[Real, str], ...] = (("double", "64-bit"), ("float", "32-bit"))
