"""Commands: the edits of a project. Each is a typed change, defined beside the function that performs it.

A new command is a class and a function in one of these modules (`base.performs`); nothing else lists it.
"""

from functools import reduce
from importlib import import_module
from operator import or_
from pkgutil import iter_modules
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from ..scene import Doc
from .base import all_commands
from .perform import perform, perform_all

for _module in iter_modules(__path__, f"{__name__}."):
    import_module(_module.name)

if TYPE_CHECKING:
    Command = Doc
else:
    Command = Annotated[reduce(or_, all_commands()), Field(discriminator="kind")]
"""Any command, read by its kind."""

__all__ = ["Command", "perform", "perform_all"]
