"""Trouble codes in two bytes (SAE J2012, ISO 15031-6)."""

import re

from galene.core.errors import InputError

LETTERS = "PCBU"
SHAPE = re.compile(r"^[PCBU][0-3][0-9A-F]{3}$")


def code_to_bytes(code: str) -> bytes:
    """A code in two bytes.

    Parameters
    ----------
    code : a letter, a figure from 0 to 3, three hexadecimal figures

    Raises
    ------
    InputError
        No such code.

    Examples
    --------
    >>> code_to_bytes("P0171").hex(), code_to_bytes("U3FFF").hex()
    ('0171', 'ffff')
    """
    if not SHAPE.fullmatch(code):
        raise InputError("code", code, "a letter of P C B U, 0 to 3, three hexadecimal figures")
    return bytes([LETTERS.index(code[0]) << 6 | int(code[1:3], 16), int(code[3:], 16)])


def code_from_bytes(two: bytes) -> str:
    """The code of two bytes.

    Parameters
    ----------
    two : two bytes

    Examples
    --------
    >>> code_from_bytes(bytes.fromhex("c123"))
    'U0123'
    """
    return f"{LETTERS[two[0] >> 6]}{(two[0] >> 4) & 3}{two[0] & 15:X}{two[1]:02X}"
