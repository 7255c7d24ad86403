"""Numbers in sentences, everywhere alike."""

from collections.abc import Sequence


def number(n: int) -> str:
    """‘1 000’: thousands set apart by thin spaces."""
    return f"{n:,}".replace(",", "\u202f")


def count(n: int, singular: str, plural: str = "") -> str:
    """‘1 part’, ‘2 parts’, ‘1 000 parts’."""
    return f"{number(n)} {singular if n == 1 else plural or singular + 's'}"


def frames(numbers: list[int]) -> str:
    """‘frame 7’, ‘frames 7 to 31’, ‘12 frames, first 7’."""
    if len(numbers) == 1:
        return f"frame {numbers[0]}"
    if numbers[-1] - numbers[0] == len(numbers) - 1:
        return f"frames {numbers[0]} to {numbers[-1]}"
    return f"{len(numbers)} frames, first {numbers[0]}"


def length(metres: float) -> str:
    """‘0.04 mm’, ‘320 mm’, ‘1.73 m’, ‘2.4 km’: the unit people would say."""
    size = abs(metres)
    if size < 0.9995:
        mm = metres * 1000
        return f"{mm:.0f} mm" if abs(mm) >= 9.995 else f"{_plain(mm, 2)} mm"
    if size < 999.5:
        return f"{metres:.2f}".rstrip("0").rstrip(".") + " m"
    return f"{metres / 1000:.2f}".rstrip("0").rstrip(".") + " km"


def box_size(sides_m: Sequence[float]) -> str:
    """‘122 × 122 × 320 mm’, ‘0.1 × 0.05 × 0.1 mm’, ‘300 × 12.5 × 80 m’."""
    largest = max(sides_m)
    if largest < 0.01:
        return " × ".join(_plain(s * 1000, 3) for s in sides_m) + " mm"
    if largest < 10:
        return " × ".join(f"{s * 1000:.0f}" for s in sides_m) + " mm"
    return " × ".join(f"{s:.0f}" if s >= 99.95 else _plain(s, 3) for s in sides_m) + " m"


def offset(metres: float, size_m: float) -> str:
    """Text of a small offset, as exactly as matters for a subject of a size: ‘0.12 mm’, never ‘−0.00 mm’."""
    if abs(metres) >= 0.9995:
        return length(metres)
    mm, finest = metres * 1000, size_m * 1000 * 1e-5
    return f"{_plain(mm, 3)} mm" if abs(mm) >= max(finest, 1e-9) else "0 mm"


def _plain(x: float, digits: int) -> str:
    """A number to so many significant digits, without an exponent."""
    text = f"{x:.{digits}g}"
    return f"{float(text):.12f}".rstrip("0").rstrip(".") if "e" in text else text
