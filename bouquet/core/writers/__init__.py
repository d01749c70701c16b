"""
Writers: one class a format. A new format is one module and one line in `WRITERS`.
"""

from bouquet.core.writers.base import FileFacts, SheetFacts, Writer
from bouquet.core.writers.csv import CsvWriter
from bouquet.core.writers.jsonl import JsonLinesWriter
from bouquet.core.writers.xlsx import STAMP, XlsxWriter

__all__ = ["STAMP", "WRITERS", "CsvWriter", "FileFacts", "JsonLinesWriter", "SheetFacts", "Writer", "XlsxWriter"]

WRITERS: dict[str, type[Writer]] = {writer.extension: writer for writer in (CsvWriter, XlsxWriter, JsonLinesWriter)}
