"""What one more light on the set is called, and whether there is room for it."""

from ..errors import ChangeError
from ..scene import Project

MOST_LIGHTS = 64


def free_name(project: Project, stem: str) -> str:
    """The name, with a number where a light is called so already.

    Raises ChangeError when there is no room for one more light.
    """
    if len(project.lights) >= MOST_LIGHTS:
        raise ChangeError(f"There are {MOST_LIGHTS} lights on the set already; remove one first.")
    taken = {x.name for x in project.lights}
    return next(n for n in (stem, *(f"{stem[:70]} {i}" for i in range(2, 200))) if n not in taken)
