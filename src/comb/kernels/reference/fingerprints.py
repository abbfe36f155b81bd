"""Numbers of 64 bits by which different texts are recognised before they are compared: the reference."""

WORD = 8
_BITS = (1 << 64) - 1


def fingerprint(data: bytes) -> int:
    """Return a number of 64 bits that depends on all bytes of a text.

    A multiplicative hash: eight bytes at a time are brought in by exclusive or, then multiplied by an odd number, which
    loses nothing; the upper half is put on the lower, to which a multiplication carries nothing down.

    >>> fingerprint(b"hive 7") == fingerprint(b"hive 7"), fingerprint(b"hive 7") == fingerprint(b"hive 8")
    (True, False)
    """
    mixed = len(data) * 0x9E3779B97F4A7C15 & _BITS
    for at in range(0, len(data), WORD):
        word = int.from_bytes(data[at : at + WORD].ljust(WORD, b"\0"), "little")
        mixed = (mixed ^ word) * 0xBF58476D1CE4E5B9 & _BITS
        mixed ^= mixed >> 32
    return mixed
