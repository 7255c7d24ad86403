"""Surface record for one viewing direction, looked up once: plain numbers.

`v` is a row of parameters (columns in `row`), `s` the record (columns below).
"""

import math

from ..kernel import device, routine
from .fresnel import edge_loss, fresnel_dielectric
from .row import (
    ANISOTROPY,
    BASE,
    BASE_WEIGHT,
    COAT,
    COAT_COLOR,
    COAT_DARKENING,
    COAT_IOR,
    COAT_ROUGHNESS,
    FUZZ,
    FUZZ_COLOR,
    FUZZ_ROUGHNESS,
    IOR,
    METALNESS,
    ROUGHNESS,
    SPECULAR,
    SPECULAR_COLOR,
    STRAND,
    SUBSURFACE,
    SUBSURFACE_COLOR,
    THIN,
    TRANSMISSION,
)
from .strand import prepare_strand
from .tables import (
    DIELECTRIC,
    FUZZ_REFLECTANCE,
    GLASS_IN,
    GLASS_OUT,
    METAL,
    index_axis,
    lookup_block,
    lookup_coated,
    lookup_mean,
    lookup_plane,
)

MIRROR_ALPHA = 1e-3
"""Below this GGX alpha (roughness 0.03) a facet is treated as a perfect mirror."""

# Columns of the record.
AX, AY, ROUGH, ETA, AXIS, ALBEDO, ALBEDO_MEAN, METAL_GAIN, GLASS_GAIN = 0, 1, 2, 3, 4, 5, 6, 7, 8
F0, LOSS, DIFFUSE_COLOR, UNDER = 9, 12, 15, 18
P_FUZZ, P_COAT, P_DIFFUSE = 21, 22, 23
COAT_ALPHA, COAT_AXIS, COAT_ALBEDO, COAT_MEAN, COAT_GAIN = 24, 25, 26, 27, 28
COAT_NORMAL, COAT_MU, COAT_LOG = 29, 32, 33
FUZZ_ALBEDO, DIFFUSE_SHARE, GLASS_SHARE, SUNK_SHARE, MU_O, LAMBDA_O = 36, 37, 38, 39, 40, 41
LEAN = 42
"""Factor on the odds that a smooth facet of glass reflects rather than passes; `prepare` sets 1."""
RECORD = 43


@device
def _index_under(v):
    """Index of the base against what lies on it, or the reverse where that is less than 1, with OpenPBR's specular
    weight."""
    ior = v[IOR] * 1.0
    if v[COAT] > 0.0:
        ior /= 1.0 + v[COAT] * (v[COAT_IOR] - 1.0)
    ior = max(ior, 1.0 / max(ior, 1e-6))
    if v[SPECULAR] < 1.0:
        e = (ior - 1.0) / (ior + 1.0) * math.sqrt(v[SPECULAR])
        ior = (1.0 + e) / (1.0 - e)
    return max(ior, 1.000001)


@routine
def _prepare_coat(v, s, wo, coat_normal, tables):
    """Coat, and how it roughens, tints and darkens what lies under it (OpenPBR, section "Coat")."""
    rough = v[COAT_ROUGHNESS] * 1.0
    mu = min(max(wo[0] * coat_normal[0] + wo[1] * coat_normal[1] + wo[2] * coat_normal[2], 1e-4), 1.0)
    axis = index_axis(max(v[COAT_IOR] * 1.0, 1.000001))
    s[COAT_ALPHA] = max(rough * rough, 1e-6)
    s[COAT_AXIS], s[COAT_MU] = axis, mu
    s[COAT_NORMAL], s[COAT_NORMAL + 1], s[COAT_NORMAL + 2] = coat_normal
    s[COAT_ALBEDO] = lookup_block(tables, DIELECTRIC, mu, rough, axis)
    s[COAT_MEAN] = lookup_mean(tables, rough, axis)
    s[COAT_GAIN] = lookup_coated(tables, mu, s[ROUGH], rough, axis)
    ior = max(v[COAT_IOR] * 1.0, 1.000001)
    inner = 1.0 - (1.0 - s[COAT_MEAN]) / (ior * ior)
    smooth = fresnel_dielectric(mu, ior)
    metal = v[METALNESS] * 1.0
    # what is thrown back inside the coat depends on how widely the base scatters
    k = smooth + (inner - smooth) * (1.0 - metal * (1.0 - s[ROUGH]))
    for c in range(3):
        base = metal * s[F0 + c] + (1.0 - metal) * s[DIFFUSE_COLOR + c]
        dark = (1.0 - k) / max(1.0 - base * k, 1e-6)
        s[UNDER + c] = 1.0 + v[COAT] * v[COAT_DARKENING] * (dark - 1.0)
        s[COAT_LOG + c] = 0.5 * math.log(max(v[COAT_COLOR + c] * 1.0, 1e-4))


@device
def prepare(v, s, wo, coat_normal, inside, tables):
    """Fill the record for the viewing direction `wo` (unit, z > 0). `inside`: the ray comes through the medium.

    The row's index is that against what lies around; below 1, the ray outside is in the denser of both.
    """
    if v[STRAND] > 0.0:
        s[P_FUZZ] = s[P_COAT] = s[AX] = 0.0
        s[P_DIFFUSE] = s[LEAN] = 1.0
        prepare_strand(v, s, wo)
        return
    dense = inside != (v[IOR] < 1.0)
    mu_o = min(wo[2], 1.0)
    metal, rough, transmission = v[METALNESS] * 1.0, v[ROUGHNESS] * 1.0, v[TRANSMISSION] * 1.0
    if v[COAT] > 0.0:
        c = v[COAT_ROUGHNESS] * v[COAT_ROUGHNESS]
        r2 = rough * rough
        rough += v[COAT] * (min(math.sqrt(math.sqrt(r2 * r2 + 2.0 * c * c)), 1.0) - rough)
    alpha = max(rough * rough, 1e-6)
    s[AX] = s[AY] = alpha
    if v[ANISOTROPY] > 0.0:
        flat = 1.0 - v[ANISOTROPY]
        s[AX] = max(alpha * math.sqrt(2.0 / (1.0 + flat * flat)), 1e-6)
        s[AY] = max(flat * s[AX], 1.1e-3 if alpha > MIRROR_ALPHA else 1e-6)
    ior = _index_under(v)
    axis = index_axis(ior)
    albedo, albedo_mean, glass_gain = 0.0, 0.0, 1.0
    if metal < 1.0:
        albedo = lookup_block(tables, DIELECTRIC, mu_o, rough, axis)
        albedo_mean = lookup_mean(tables, rough, axis)
    s[METAL_GAIN] = lookup_plane(tables, METAL, mu_o, rough) if metal > 0.0 else 1.0
    thin = v[THIN] > 0.0
    if transmission > 0.0 and alpha > MIRROR_ALPHA:
        glass = lookup_block(tables, GLASS_OUT if dense else GLASS_IN, mu_o, rough, axis)
        # what the facets must send out so that facets + diffuse base together lose nothing
        wanted = 1.0 - (1.0 - transmission) * (1.0 - albedo)
        glass_gain = wanted / max(albedo + transmission * (glass - albedo), 0.05)
        if thin:
            # reflection and its mirror image together are a facet that reflects everything
            glass_gain = lookup_plane(tables, METAL, mu_o, rough)
    s[ETA] = ior
    if dense:
        s[ETA] = 1.0 / ior
    if inside:  # seen from within the medium there is no diffuse base above the boundary
        albedo = 1.0
    weight = v[BASE_WEIGHT] * 1.0
    for c in range(3):
        s[DIFFUSE_COLOR + c] = weight * v[BASE + c]
        s[UNDER + c] = 1.0
    if metal > 0.0:
        for c in range(3):
            s[F0 + c] = weight * v[BASE + c]
            s[LOSS + c] = edge_loss(s[F0 + c], v[SPECULAR_COLOR + c] * 1.0)
    s[ROUGH], s[AXIS], s[ALBEDO], s[ALBEDO_MEAN], s[GLASS_GAIN] = rough, axis, albedo, albedo_mean, glass_gain
    s[MU_O] = mu_o
    opaque = (1.0 - metal) * (1.0 - transmission)
    s[GLASS_SHARE] = (1.0 - metal) * transmission
    s[SUNK_SHARE] = opaque * v[SUBSURFACE]
    s[DIFFUSE_SHARE] = opaque - s[SUNK_SHARE]
    luma = 0.2126 * s[DIFFUSE_COLOR] + 0.7152 * s[DIFFUSE_COLOR + 1] + 0.0722 * s[DIFFUSE_COLOR + 2]
    sunk = s[SUNK_SHARE] * (
        0.2126 * v[SUBSURFACE_COLOR] + 0.7152 * v[SUBSURFACE_COLOR + 1] + 0.0722 * v[SUBSURFACE_COLOR + 2]
    )
    w_diffuse = (s[DIFFUSE_SHARE] * luma + sunk) * (1.0 - albedo)
    w_facet = metal * max(luma, 0.1) + (1.0 - metal) * ((1.0 - transmission) * albedo + transmission)
    p_fuzz = p_coat = 0.0
    if v[COAT] > 0.0 or v[FUZZ] > 0.0:
        if v[COAT] > 0.0:
            _prepare_coat(v, s, wo, coat_normal, tables)
            p_coat = v[COAT] * s[COAT_ALBEDO]
        if v[FUZZ] > 0.0:
            s[FUZZ_ALBEDO] = v[FUZZ] * lookup_plane(tables, FUZZ_REFLECTANCE, mu_o, v[FUZZ_ROUGHNESS] * 1.0)
            p_fuzz = s[FUZZ_ALBEDO] * max(v[FUZZ_COLOR] * 1.0, max(v[FUZZ_COLOR + 1] * 1.0, v[FUZZ_COLOR + 2] * 1.0))
        rest = (1.0 - p_coat) * (w_diffuse + w_facet)
        p_coat *= 1.0 - s[FUZZ_ALBEDO] if v[FUZZ] > 0.0 else 1.0
        if v[FUZZ] > 0.0:
            rest *= 1.0 - s[FUZZ_ALBEDO]
        total = max(p_fuzz + p_coat + rest, 1e-9)
        p_fuzz = min(max(p_fuzz / total, 0.1), 0.6) if p_fuzz > 0.0 else 0.0
        p_coat = min(max(p_coat / total, 0.1), 0.8) * (1.0 - p_fuzz) if p_coat > 0.0 else 0.0
    p_diffuse = w_diffuse / max(w_diffuse + w_facet, 1e-9)
    if 0.0 < p_diffuse < 1.0:
        p_diffuse = min(max(p_diffuse, 0.1), 0.9)
    if thin and transmission <= 0.0 and p_diffuse <= 0.0 and s[SUNK_SHARE] > 0.0:
        p_diffuse = 0.1
    s[P_FUZZ], s[P_COAT], s[LEAN] = p_fuzz, p_coat, 1.0
    s[P_DIFFUSE] = p_diffuse * (1.0 - p_fuzz - p_coat)


@device
def has_breadth(v, s):
    """True when light that was aimed at can be reflected at all: not from a perfectly smooth surface."""
    return s[P_DIFFUSE] > 0.0 or s[AX] > MIRROR_ALPHA or v[COAT] > 0.0 or v[FUZZ] > 0.0
