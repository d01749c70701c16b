"""
Passwords that are guessed first are refused, and those that people make of words of their own are not.
"""

from __future__ import annotations

import pytest

from bouquet.core.passwords import why_guessed


@pytest.mark.parametrize(
    "password",
    [
        "password1234", "Passw0rd2026!", "P@ssw0rd-2026", "qwertyuiop12", "123456789012", "aaaaaaaaaaaa", "abcabcabcabc",
        "abcdefghijklm", "Welcome2026!!", "letmein12345", "Summer-2026-Summer", "changeme1234", "zxcvbnm,./12", "1qaz1qaz1qaz",
        "administrator1", "Bouquet-2026-!", "november-2026", "thisismypassword", "InesHarrow2026", "ines@marrowby1",
    ],
)  # fmt: skip
def test_what_everybody_tries_first_is_refused(password: str) -> None:
    assert why_guessed(password, "Ines Harrow", "ines@marrowby.example") is not None


@pytest.mark.parametrize(
    "password",
    [
        "damson-and-lime", "quay-and-salter", "oak-before-ash", "ledger-and-slip", "correct staple horse", "korrekt Pferd Klammer",
        "mV8$kq2!zTr0", "the wind in my willows", "Ines likes plums", "Straße nach Süden", "ночь улица фонарь", "長い合言葉をここに書く",
    ],
)  # fmt: skip
def test_words_of_ones_own_are_good(password: str) -> None:
    """Also in other alphabets, and without digits or signs."""
    assert why_guessed(password, "Ines Harrow", "ines@marrowby.example") is None
