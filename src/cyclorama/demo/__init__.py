"""The made-up studio of Vane & Tidewrack: models, textures, environments and projects, built by code.

Everything is written as ordinary glTF, EXR and JSON and comes in through the same intake as a user's own.
"""
