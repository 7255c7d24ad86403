"""Names as files have them, as the document takes them."""


def label(name: object, instead: str = "") -> str:
    """At most 80 characters that can be written down: control characters and halves of characters go."""
    text = "".join(c for c in str(name or "") if c.isprintable() and not "\ud800" <= c <= "\udfff").strip()[:80]
    return text or instead
