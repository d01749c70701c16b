"""
Passwords that are refused: those that everybody tries first. No rule says what characters one has to have (NIST SP
800-63B, 5.1.1.2; OWASP ASVS 5.0, 6.2).
"""

from __future__ import annotations

import re
from itertools import pairwise

from bouquet.core.language import tr

__all__ = ["why_guessed"]

#: Words that what is guessed first is made of, alone or one after the other, with digits and signs around them.
_WORDS = tuple(
    """
    password passwort passphrase passcode secret geheim motdepasse welcome willkommen bienvenue changeme change letmein
    let me in admin administrator root user login qwerty qwertz azerty asdf asdfgh zxcvbn yxcvbn iloveyou dragon monkey
    sunshine princess football baseball superman batman master shadow trustno access default test testing temp temporary
    company office work summer winter spring autumn january february march april may june july august september october
    november december monday tuesday wednesday thursday friday saturday sunday bouquet the my is a this new for and your
    here please hello abc xyz god love money
    """.split()  # noqa: SIM905
)

#: Rows of keys, and the alphabet, along which fingers run.
_RUNS = (
    *("abcdefghijklmnopqrstuvwxyz", "01234567890", "qwertyuiop", "qwertzuiop", "asdfghjkl", "zxcvbnm,./"),
    "yxcvbnm,.-",
)

#: What stands for letters, between letters.
_LOOK_ALIKE = dict(zip("013457$@!", "oieastsai", strict=True))

#: Different characters that a password has at least.
LEAST = 5


def why_guessed(password: str, *known: str) -> str | None:
    """
    Why a password would be guessed soon, as a sentence; None where nothing tells so.

    Args:
        known: What everybody knows of the person: name, address.
    """
    plain = password.casefold()
    if len(set(plain)) < LEAST:
        return tr("A password has at least {least} different characters.", least=LEAST)
    half = re.fullmatch(r"(.{1,6}?)\1+.{0,5}", plain)
    if half is not None:
        return tr("This repeats the same few characters; it is guessed soon.")
    if _is_run(plain):
        return tr("This follows the keys or the alphabet; it is guessed soon.")
    if _made_of_words(plain) or _made_of_words(_with_letters(plain)):
        return tr("This is made of words that everybody tries first.")
    parts = {p for text in known for p in re.split(r"[^\w]+", text.casefold()) if len(p) > 2}
    rest = plain
    for part in sorted(parts, key=len, reverse=True):
        rest = rest.replace(part, "")
    if rest != plain and _made_of_words(rest):
        return tr("This is made of your name or address.")
    return None


def _made_of_words(text: str) -> bool:
    """
    Whether a text is nothing but such words, digits and signs, one after the other.
    """
    reached = {0}
    for at, character in enumerate(text):
        if at in reached:
            if not character.isalpha():
                reached.add(at + 1)
            reached |= {at + len(word) for word in _WORDS if text.startswith(word, at)}
    return len(text) in reached


def _with_letters(plain: str) -> str:
    """
    With letters for the digits and signs between letters that stand for them.
    """
    return re.sub(r"(?<=[a-z])[013457$@!](?=[a-z])", lambda m: _LOOK_ALIKE[m[0]], plain)


def _is_run(plain: str) -> bool:
    """
    Whether nearly every character follows the one before along a row of keys, up or down.
    """
    follows = {a + b for run in _RUNS for r in (run, run[::-1]) for a, b in pairwise(r)}
    steps = sum(plain[n : n + 2] in follows for n in range(len(plain) - 1))
    return steps >= 0.8 * (len(plain) - 1)
