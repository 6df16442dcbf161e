"""The recipe inside a picture: as an XMP packet (ISO 16684-1), which PNG, JPEG, TIFF and WebP all can carry."""

from __future__ import annotations

import base64
import binascii
import struct
import zlib
from pathlib import Path
from xml.etree import ElementTree

from irodori.core.errors import RecipeError
from irodori.core.recipe import Recipe
from irodori.formats.atomic import whole_file

RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
META = "adobe:ns:meta/"
"""The namespace in which the standard puts the packet's outer element."""

NAMESPACE = "https://irodori.invalid/ns/recipe/1.0/"
PNG_KEY = "XML:com.adobe.xmp"

PLAIN = 24_000
"""Letters up to which a recipe stands as it is; longer ones are packed, as JPEG holds 64 KiB of XMP at most."""

PACKED = "zlib85:"

for _prefix, _space in (("x", META), ("rdf", RDF), ("irodori", NAMESPACE)):
    ElementTree.register_namespace(_prefix, _space)


def xmp_packet(recipe: Recipe) -> str:
    """The XMP packet that holds a recipe."""
    text = recipe.text
    if len(text) > PLAIN:
        text = PACKED + base64.b85encode(zlib.compress(text.encode(), 9)).decode()
    outer = ElementTree.Element(f"{{{META}}}xmpmeta")
    inner = ElementTree.SubElement(outer, f"{{{RDF}}}RDF")
    ElementTree.SubElement(inner, f"{{{RDF}}}Description", {f"{{{RDF}}}about": "", f"{{{NAMESPACE}}}recipe": text})
    body = ElementTree.tostring(outer, encoding="unicode")
    return f'<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>{body}<?xpacket end="w"?>'


def text_in_xmp(packet: str) -> str | None:
    """The recipe's text in an XMP packet, or None; other programs may have written the packet anew."""
    start, end = packet.find("<x:xmpmeta"), packet.rfind("</x:xmpmeta>")
    try:
        root = ElementTree.fromstring(packet[start : end + len("</x:xmpmeta>")] if 0 <= start < end else packet)
    except ElementTree.ParseError:
        return None
    for element in root.iter():
        text = element.get(f"{{{NAMESPACE}}}recipe")
        if text is None and element.tag == f"{{{NAMESPACE}}}recipe":
            text = element.text
        if text is not None:
            return _unpacked(text)
    return None


def _unpacked(text: str) -> str:
    if not text.startswith(PACKED):
        return text
    try:
        return zlib.decompress(base64.b85decode(text.removeprefix(PACKED))).decode()
    except (ValueError, zlib.error, binascii.Error):
        return "(its packed text cannot be read)"


def add_png_text(png: bytes, key: str, text: str) -> bytes:
    """Insert an iTXt chunk (PNG specification, 11.3.3.4) after the header chunk."""
    return _with_chunk(png, b"iTXt", key.encode("latin-1") + b"\0\0\0\0\0" + text.encode("utf-8"))


def add_png_density(png: bytes, dpi: float) -> bytes:
    """Insert a pHYs chunk (PNG specification, 11.3.4.3), pixels per metre, after the header chunk."""
    return _with_chunk(png, b"pHYs", struct.pack(">IIB", *2 * (round(dpi / 0.0254),), 1))


def _with_chunk(png: bytes, kind: bytes, body: bytes) -> bytes:
    packed = struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
    header_end = 8 + 25
    return png[:header_end] + packed + png[header_end:]


def read_recipe(path: str | Path) -> Recipe:
    """The recipe stored in a picture, or a recipe's own file (.json).

    Raises
    ------
    RecipeError
        When there is none, it is damaged, or a newer Irodori wrote it.
    CaptureError
        When the picture cannot be read.
    """
    path = Path(path)
    if path.suffix.lower() == ".json":
        try:
            return Recipe.from_text(path.read_text(encoding="utf-8"), str(path))
        except FileNotFoundError:
            raise RecipeError(f"There is no file '{path}'") from None
        except (OSError, UnicodeDecodeError) as error:
            raise RecipeError(f"'{path}' cannot be read as a recipe: {error}") from None
    if path.suffix.lower() == ".exr":
        from irodori.formats.exr import read_exr

        packet = str(read_exr(path)[1].get("xmp", ""))
    else:
        packet = _packet_of(path)
    text = text_in_xmp(packet)
    if text is None:
        raise RecipeError(f"'{path}' holds no recipe; only pictures saved by irodori can be repeated")
    return Recipe.from_text(text, str(path))


def save_recipe(recipe: Recipe, path: str | Path) -> Path:
    """Write a recipe alone, as JSON. Raises OutputError."""
    target = Path(path).with_suffix(".json")
    with whole_file(target) as temporary:
        temporary.write_text(recipe.text + "\n", encoding="utf-8")
    return target


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
