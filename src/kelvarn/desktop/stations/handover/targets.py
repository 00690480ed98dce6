"""What a handover may be for: each with its title, a line on it, and the ending of its file."""

from kelvarn.handover.carry import Real

USER, SHEET, JSON, BOARD, BOUGHT, WIRING = "user", "sheet", "json", "board", "bought", "wiring"
TARGETS = (
    (SHEET, "Sheet to print", "for who builds it", "html"),
    (USER, "Page by the machine", "for who uses it", "html"),
    (BOARD, "A board of your own", "C99, MicroPython or Python", ""),
    (WIRING, "Wiring and parts", "drawing, list, ratings", ""),
    (BOUGHT, "A controller you bought", "numbers to type in", "html"),
    (JSON, "Settings as JSON", "for your own code", "json"),
)
NUMBERS: tuple[tuple[Real, str], ...] = (("double", "64-bit"), ("float", "32-bit"))
