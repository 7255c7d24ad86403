"""The write side: every edit of a project as a typed change, and what it does to the document."""

from .perform import perform, perform_all

__all__ = ["perform", "perform_all"]
