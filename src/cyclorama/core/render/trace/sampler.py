"""Random numbers as a pure function of (pixel, sample, dimension): Owen-scrambled Sobol pairs by hashing.

Sources: Burley, "Practical Hash-based Owen Scrambling", JCGT 9(4), 2020 (shuffled, scrambled and padded
sequences); the base-2 Owen hash constants follow the improved Laine–Karras permutation published with it by
N. Vegdahl (2021); the second Sobol dimension as a product of shifts: Ahmed, "An Implementation Algorithm of
2D Sobol Sequence Fast, Elegant, and Compact", EGSR 2024.
"""

import numpy as np

from ...kernel import device

U32 = np.uint32
TO_UNIT = 1.0 / 4294967296.0


@device
def hash_u32(x):
    """A 32-bit integer hash (lowbias32 by C. Wellons)."""
    x = U32(x)
    x = U32(x ^ (x >> U32(16)))
    x = U32(x * U32(0x21F0AAAD))
    x = U32(x ^ (x >> U32(15)))
    x = U32(x * U32(0xD35A2D97))
    return U32(x ^ (x >> U32(15)))


@device
def combine(a, b):
    """Hash two integers into one."""
    return hash_u32(U32(U32(a) ^ U32(hash_u32(U32(b)) + U32(0x9E3779B9))))


@device
def reverse_bits(x):
    x = U32(x)
    x = U32((x << U32(16)) | (x >> U32(16)))
    x = U32(((x & U32(0x00FF00FF)) << U32(8)) | ((x & U32(0xFF00FF00)) >> U32(8)))
    x = U32(((x & U32(0x0F0F0F0F)) << U32(4)) | ((x & U32(0xF0F0F0F0)) >> U32(4)))
    x = U32(((x & U32(0x33333333)) << U32(2)) | ((x & U32(0xCCCCCCCC)) >> U32(2)))
    return U32(((x & U32(0x55555555)) << U32(1)) | ((x & U32(0xAAAAAAAA)) >> U32(1)))


@device
def _mix(x, seed):
    """The hash that makes an Owen scrambling when applied to reversed bits."""
    x = U32(x ^ U32(x * U32(0x3D20ADEA)))
    x = U32(x + seed)
    x = U32(x * U32((seed >> U32(16)) | U32(1)))
    x = U32(x ^ U32(x * U32(0x05526C56)))
    return U32(x ^ U32(x * U32(0x53A22864)))


@device
def _sobol_second_reversed(reversed_index):
    """Second Sobol dimension, as a 32-bit fraction, of the index whose bits are given in reverse."""
    v = U32(reversed_index)
    v ^= (v << U32(16)) & U32(0xFFFF0000)
    v ^= (v << U32(8)) & U32(0xFF00FF00)
    v ^= (v << U32(4)) & U32(0xF0F0F0F0)
    v ^= (v << U32(2)) & U32(0xCCCCCCCC)
    v ^= (v << U32(1)) & U32(0xAAAAAAAA)
    return v


@device
def sobol_pair(index):
    """The first two Sobol dimensions of an index as 32-bit fractions, not scrambled."""
    r = reverse_bits(index)
    return r, _sobol_second_reversed(r)


# Owen scrambling is reverse, mix, reverse; the reversals that would cancel are left out.
@device
def shuffle_index(sample, seed):
    """The sample's place in the sequence of a pair, with its bits in reverse."""
    return _mix(reverse_bits(sample), seed)


@device
def first_of(place, seed):
    """First number of a pair, a 32-bit fraction."""
    return reverse_bits(_mix(reverse_bits(place), hash_u32(U32(seed ^ U32(0xA511E9B3)))))


@device
def second_of(place, seed):
    """Second number of a pair, a 32-bit fraction."""
    return reverse_bits(_mix(reverse_bits(_sobol_second_reversed(place)), hash_u32(U32(seed ^ U32(0x63D83595)))))


@device
def sample_pair(pixel_seed, sample, dimension):
    """Two numbers in [0, 1) of pair `dimension` for one sample of one pixel."""
    seed = combine(pixel_seed, dimension)
    place = shuffle_index(sample, seed)
    return first_of(place, seed) * TO_UNIT, second_of(place, seed) * TO_UNIT
