"""Pages, the JSON interface and the live lens. Rules and numbers come from core; the browser draws and asks."""
