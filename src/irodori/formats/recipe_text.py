"""The recipe inside a picture: as an XMP packet (ISO 16684-1), which PNG, JPEG, TIFF and WebP all can carry."""

from __future__ import annotations

import json
import re
import struct
import zlib
from html import escape, unescape
from pathlib import Path

from irodori.core.errors import RecipeError

NAMESPACE = "https://irodori.invalid/ns/recipe/1.0/"
PNG_KEY = "XML:com.adobe.xmp"


def xmp_packet(recipe: dict) -> str:
    """The XMP packet that holds `recipe` as JSON."""
    text = escape(json.dumps(recipe, sort_keys=True, ensure_ascii=False), quote=True)
    return (
        '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        f'<rdf:Description rdf:about="" xmlns:irodori="{NAMESPACE}" irodori:recipe="{text}"/>'
        '</rdf:RDF></x:xmpmeta><?xpacket end="w"?>'
    )


def recipe_from_xmp(packet: str) -> dict | None:
    """The recipe in an XMP packet, or None."""
    match = re.search(r'irodori:recipe="([^"]*)"', packet)
    if not match:
        return None
    try:
        return json.loads(unescape(match.group(1)))
    except json.JSONDecodeError:
        return None


def add_png_text(png: bytes, key: str, text: str) -> bytes:
    """Insert an iTXt chunk (PNG specification, 11.3.3.4) after the header chunk."""
    body = key.encode("latin-1") + b"\0\0\0\0\0" + text.encode("utf-8")
    chunk = b"iTXt" + body
    packed = struct.pack(">I", len(body)) + chunk + struct.pack(">I", zlib.crc32(chunk))
    header_end = 8 + 25
    return png[:header_end] + packed + png[header_end:]


def read_recipe(path: str | Path) -> dict:
    """The recipe stored in a picture. Raises RecipeError when there is none, CaptureError when unreadable."""
    path = Path(path)
    if path.suffix.lower() == ".exr":
        from irodori.formats.exr import read_exr

        packet = str(read_exr(path)[1].get("xmp", ""))
    else:
        packet = _packet_of(path)
    recipe = recipe_from_xmp(packet)
    if recipe is None:
        raise RecipeError(f"'{path}' holds no recipe; only pictures saved by irodori can be repeated")
    return recipe


def _packet_of(path: Path) -> str:
    from irodori.formats.read_image import _open, _read_bytes

    image = _open(path, _read_bytes(path))
    if image.format == "TIFF":
        packet = image.tag_v2.get(700, b"")
    else:
        packet = image.info.get(PNG_KEY) or image.info.get("xmp") or b""
    if isinstance(packet, tuple):
        packet = bytes(packet)
    return packet.decode("utf-8", "replace") if isinstance(packet, bytes) else str(packet)
