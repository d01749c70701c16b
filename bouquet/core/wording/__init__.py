"""
Templates in words: the sentence a template comes to, and what changed between two of its versions.
"""

from bouquet.core.wording.changes import Change, compare_templates
from bouquet.core.wording.sentence import Sentence

__all__ = ["Change", "Sentence", "compare_templates"]
