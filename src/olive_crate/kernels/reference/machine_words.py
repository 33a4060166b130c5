"""Eight bytes of text at a time, held in one unsigned 64-bit integer.

Array operations on single bytes cost as much as on 64-bit words, so a field is fetched as one to
three words and worked on whole. A word is little-endian: the first character of the text is its
lowest byte. Buffers are padded (see `PAD`) so that a fetch around a field never leaves them.
"""

from __future__ import annotations

import numpy as np

from ..types import Bytes, Flags, Ints, Words

ONES = np.uint64(0x0101010101010101)
HIGH = np.uint64(0x8080808080808080)
ZEROS = np.uint64(0x3030303030303030)
EIGHT = np.uint64(8)
ONE = np.uint64(1)
ALL = np.uint64(0xFFFFFFFFFFFFFFFF)


def fetch(buffer: Bytes, at: Ints) -> Words:
    """The eight bytes from each position on, as words."""
    overlapping: Words = np.ndarray((len(buffer) - 7,), "<u8", buffer=buffer.data, strides=(1,))
    return overlapping[at]


def splat(byte: int) -> np.uint64:
    """A word of eight times this byte."""
    return np.uint64(byte * int(ONES))


def lowest_match(words: Words, byte: int) -> Words:
    """The high bit of the first byte equal to `byte` in each word, 0 where there is none.

    The carry-free zero-byte test; only its lowest hit is exact, which is the one taken.
    """
    other = words ^ splat(byte)
    hits: Words = (other - ONES) & ~other & HIGH
    return hits & (~hits + ONE)


def unzeroed(words: Words) -> Words:
    """Digits as the numbers 0 to 9: each byte without the character zero."""
    return words ^ ZEROS


def are_digits(plain: Words) -> Flags:
    """Where all eight bytes of `unzeroed` words are digits."""
    beyond = plain + np.uint64(0x7676767676767676)
    beyond |= plain
    beyond &= HIGH
    same: Flags = beyond == 0
    return same


def digits_value(plain: Words) -> Words:
    """The number that eight `unzeroed` digits stand for: pairs, then fours, then eight."""
    words = plain * np.uint64(2561)
    words >>= EIGHT
    words &= np.uint64(0x00FF00FF00FF00FF)
    words *= np.uint64(6553601)
    words >>= np.uint64(16)
    words &= np.uint64(0x0000FFFF0000FFFF)
    words *= np.uint64(42949672960001)
    words >>= np.uint64(32)
    return words
