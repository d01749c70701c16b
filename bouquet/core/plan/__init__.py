"""
From a template document to a plan.
"""

from bouquet.core.plan.model import Comparison, Context, Group, Plan, PlanColumn, PlanOrder, Predicate
from bouquet.core.plan.resolve import OPERATORS, Resolution, resolve

__all__ = [
    "OPERATORS",
    "Comparison",
    "Context",
    "Group",
    "Plan",
    "PlanColumn",
    "PlanOrder",
    "Predicate",
    "Resolution",
    "resolve",
]
