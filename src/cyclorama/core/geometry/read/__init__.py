"""Readers: from a model file to parts, materials and maps in the file's own space."""

from .formats import read_model
from .model import Binding, FileModel, FilePicture, ModelPart

__all__ = ["Binding", "FileModel", "FilePicture", "ModelPart", "read_model"]
