"""
The template document: its models, and reading it.
"""

from bouquet.core.template.document import (
    FORMAT,
    HEADING_LENGTH,
    AllOf,
    AnyOf,
    Column,
    Condition,
    Constant,
    Csv,
    FieldValue,
    Narrowing,
    NoneOf,
    Order,
    Output,
    PerRecord,
    Show,
    Template,
    Window,
    Xlsx,
    document_schema,
    read_document,
)

__all__ = [
    "FORMAT",
    "HEADING_LENGTH",
    "AllOf",
    "AnyOf",
    "Column",
    "Condition",
    "Constant",
    "Csv",
    "FieldValue",
    "Narrowing",
    "NoneOf",
    "Order",
    "Output",
    "PerRecord",
    "Show",
    "Template",
    "Window",
    "Xlsx",
    "document_schema",
    "read_document",
]
