"""Working out the same for many things side by side.

LLVM turns a loop over a block into vector instructions, four or eight things at a time, if it is plain: its length is
known (BLOCK, also where fewer things are there: what is left over from before is worked out and not used, so that no
remainder is rounded differently); numbers lie in rows of BLOCK, end to end in few arrays, so that it can see that rows
do not overlap; nothing is read from places that only the loop knows; and nothing is called that returns more than one
number, because numbers that belong together are put side by side first and then cannot be any more.
"""

BLOCK = 64
"""So many things at a time; their numbers stay in the core's nearest caches."""
