"""Readers: from a model file to parts, materials and maps in the file's own space."""

from .model import Binding, FileModel, FilePart, Picture
from .registry import read_model

__all__ = ["Binding", "FileModel", "FilePart", "Picture", "read_model"]
