"""Files of a client: their type is read from their content, never from their name; what a picture tells of itself is
stripped.
"""

import base64
import binascii
from io import BytesIO
from typing import Literal
from uuid import UUID

from merak.core.errors import BadInput
from merak.records.tables import KeptFile
from merak.services.context import Context, NotFound

Use = Literal["photo", "letter", "signature"]
#: Bytes at most, by use; and pixels, since a small file can unfold into a huge picture.
LARGEST: dict[Use, int] = {"photo": 12_000_000, "letter": 8_000_000, "signature": 300_000}
PIXELS = 40_000_000
#: A photo is kept no larger than this, in pixels along its longer side.
LONGEST_SIDE = 2400
PDF = b"%PDF-"


def keep_file(ctx: Context, client_id: UUID, content: bytes, use: Use, field: str = "file") -> KeptFile:
    """Keeps a file inside the caller's transaction: a picture anew from its pixels alone, a letter also as a PDF.

    Raises BadInput on `field` for what is empty, too large, or not what it should be.
    """
    if not content:
        raise BadInput({field: "Nothing arrived. Choose the file again."})
    if len(content) > LARGEST[use]:
        raise BadInput({field: f"{len(content) / 1e6:.1f} MB is too large: {LARGEST[use] / 1e6:g} MB at most."})
    if use == "letter" and content.startswith(PDF):
        kind, kept = "application/pdf", content
    else:
        kind, kept = _picture(content, use, field)
    found = KeptFile(client_id=client_id, kind=kind, content=kept, by=ctx.me.id, at=ctx.now)
    ctx.db.add(found)
    ctx.db.flush()
    return found


def _picture(content: bytes, use: Use, field: str) -> tuple[str, bytes]:
    """A picture drawn anew from its pixels: place, time, machine and thumbnail that it carried are gone."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    try:
        with Image.open(
            BytesIO(content), formats=("PNG",) if use == "signature" else ("JPEG", "PNG", "WEBP")
        ) as picture:
            if picture.width * picture.height > PIXELS:
                raise BadInput({field: f"{picture.width} × {picture.height} pixels are too many."})
            picture.load()
            upright = ImageOps.exif_transpose(picture)
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        wanted = "a PDF, or a JPEG, PNG or WebP picture" if use == "letter" else "a JPEG, PNG or WebP picture"
        raise BadInput({field: f"This is not {wanted}, whatever its name says."}) from None
    out = BytesIO()
    if use == "signature":
        clean = Image.new("RGBA", upright.size)
        clean.paste(upright.convert("RGBA"))
        clean.save(out, "PNG", optimize=True)
        return "image/png", out.getvalue()
    upright = upright.convert("RGB")
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    clean = Image.new("RGB", upright.size)
    clean.paste(upright)
    clean.save(out, "JPEG", quality=88)
    return "image/jpeg", out.getvalue()


def kept_file(ctx: Context, client_id: UUID, file_id: UUID) -> KeptFile:
    """A file of a client. Raises Denied, NotFound also for another client's."""
    ctx.demand("read notes")
    found = ctx.db.get(KeptFile, file_id)
    if found is None or found.client_id != client_id:
        raise NotFound("There is no such file.")
    return found


def keep_drawing(ctx: Context, client_id: UUID, drawing: str, field: str, missing: str) -> UUID:
    """A signature as the browser draws it (a PNG's data address), kept; its id. Raises BadInput on `field`."""
    if not drawing.startswith("data:image/png;base64,"):
        raise BadInput({field: missing})
    try:
        content = base64.b64decode(drawing.partition(",")[2], validate=True)
    except binascii.Error:
        raise BadInput({field: "The signature did not arrive whole. Once more, please."}) from None
    return keep_file(ctx, client_id, content, "signature", field=field).id
