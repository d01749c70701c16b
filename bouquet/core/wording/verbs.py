"""
How comparisons are called.
"""

__all__ = ["VERBS"]

#: What stands between the field and its value.
VERBS = {
    "is": "is",
    "is_not": "is not",
    "one_of": "is one of",
    "none_of": "is none of",
    "contains": "contains",
    "not_contains": "does not contain",
    "starts_with": "starts with",
    "ends_with": "ends with",
    "matches": "looks like",
    "less_than": "is less than",
    "greater_than": "is greater than",
    "at_least": "is at least",
    "at_most": "is at most",
    "between": "is between",
    "in_window": "is in",
    "before": "is before",
    "after": "is after",
    "blank": "is blank",
    "not_blank": "is not blank",
    "yes": "is yes",
    "no": "is no",
}
