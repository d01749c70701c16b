"""
The plan: what a template comes to against one catalogue at one moment.
"""

from bouquet.core.plan.keys import propose_key
from bouquet.core.plan.made import MadeError, made_field, made_tree, read_narrowing
from bouquet.core.plan.model import (
    Attached,
    Context,
    FileCheck,
    GroupBy,
    NotSent,
    Picked,
    Plan,
    PlanColumn,
    RowCheck,
    Step,
)
from bouquet.core.plan.nodes import (
    Among,
    Cell,
    Comparison,
    Computed,
    Fixed,
    Folded,
    Group,
    Having,
    Listed,
    Permitted,
    PlanOrder,
    Predicate,
    Read,
    Stepped,
    Test,
    relations_of,
    routes_of,
)
from bouquet.core.plan.resolve import OPERATORS, Resolution, resolve
from bouquet.core.rights import Scope

__all__ = [
    "OPERATORS",
    "Among",
    "Attached",
    "Cell",
    "Comparison",
    "Computed",
    "Context",
    "FileCheck",
    "Fixed",
    "Folded",
    "Group",
    "GroupBy",
    "Having",
    "Listed",
    "MadeError",
    "NotSent",
    "Permitted",
    "Picked",
    "Plan",
    "PlanColumn",
    "PlanOrder",
    "Predicate",
    "Read",
    "Resolution",
    "RowCheck",
    "Scope",
    "Step",
    "Stepped",
    "Test",
    "made_field",
    "made_tree",
    "propose_key",
    "read_narrowing",
    "relations_of",
    "resolve",
    "routes_of",
]
