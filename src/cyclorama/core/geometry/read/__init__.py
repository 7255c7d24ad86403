"""Readers: from a model file to parts, materials and maps in the file's own space."""

from .model import Binding, FileModel, FilePicture, ModelPart
from .registry import read_model

__all__ = ["Binding", "FileModel", "FilePicture", "ModelPart", "read_model"]
