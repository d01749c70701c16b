"""
Writers: one class a format. A new format is one module here and one line in `core.formats`.
"""

from importlib import import_module

from bouquet.core.vocabulary.formats import FORMATS
from bouquet.core.writers.base import Beside, FileFacts, SheetFacts, Writer

__all__ = ["Beside", "FileFacts", "SheetFacts", "Writer", "writer_of"]


def writer_of(format: str) -> type[Writer]:
    """
    The class that writes a format. Raises KeyError for one that is not known.
    """
    module, _, name = FORMATS[format].writer.partition(":")
    found: type[Writer] = getattr(import_module(module), name)
    return found
