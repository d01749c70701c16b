"""
The template document: its models, and reading it.
"""

from bouquet.core.template.acceptance import (
    MOST_LAYOUT_COLUMNS,
    RECIPIENT_FORMAT,
    Acceptance,
    LayoutColumn,
    read_acceptance,
    whole_pattern,
)
from bouquet.core.template.bundle import BUNDLE, Bundle, is_bundle, read_bundle, whole_template
from bouquet.core.template.checks import Check, ColumnCheck, FileCheck, RowCheck, Severity
from bouquet.core.template.companions import child_template, folder_formula, folder_of
from bouquet.core.template.document import FORMAT, Ask, Order, Template, document_schema, read_document
from bouquet.core.template.filter import AllOf, AnyOf, Condition, FormulaTest, Has, Narrowing, NoneOf, Picks, Window
from bouquet.core.template.narrowed import narrowed, only_records, with_windows
from bouquet.core.template.output import Attachments, ChildFile, Csv, Output, Reader, Split, Xlsx
from bouquet.core.template.part import Part
from bouquet.core.template.values import (
    HEADING_LENGTH,
    By,
    Column,
    Constant,
    FieldValue,
    Fold,
    FoldOrder,
    FoldValue,
    FormulaValue,
    PerChild,
    PerGroup,
    PerRecord,
    Show,
)

__all__ = [
    "BUNDLE",
    "FORMAT",
    "HEADING_LENGTH",
    "MOST_LAYOUT_COLUMNS",
    "RECIPIENT_FORMAT",
    "Acceptance",
    "AllOf",
    "AnyOf",
    "Ask",
    "Attachments",
    "Bundle",
    "By",
    "Check",
    "ChildFile",
    "Column",
    "ColumnCheck",
    "Condition",
    "Constant",
    "Csv",
    "FieldValue",
    "FileCheck",
    "Fold",
    "FoldOrder",
    "FoldValue",
    "FormulaTest",
    "FormulaValue",
    "Has",
    "LayoutColumn",
    "Narrowing",
    "NoneOf",
    "Order",
    "Output",
    "Part",
    "PerChild",
    "PerGroup",
    "PerRecord",
    "Picks",
    "Reader",
    "RowCheck",
    "Severity",
    "Show",
    "Split",
    "Template",
    "Window",
    "Xlsx",
    "child_template",
    "document_schema",
    "folder_formula",
    "folder_of",
    "is_bundle",
    "narrowed",
    "only_records",
    "read_acceptance",
    "read_bundle",
    "read_document",
    "whole_pattern",
    "whole_template",
    "with_windows",
]
