"""OpenPBR Surface: parameters, energy tables, evaluation and sampling of the BSDF."""
