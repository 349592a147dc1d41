"""Drawn portraits for the demo's photographs: an invented face, a little otherwise at each visit,
with its landmarks.
"""

from io import BytesIO
from math import cos, radians, sin

WIDTH, HEIGHT = 900, 1125


def portrait(shift: float, turn: float, lift: float, blush: float = 0) -> tuple[bytes, str]:
    """A front view as a JPEG, moved by `shift` pixels and turned by `turn` degrees, the mouth's corners `lift` pixels
    higher, the skin redder by `blush`; and its four landmarks as the page sends them.
    """
    from PIL import Image, ImageDraw, ImageFilter  # where it is used: the demo is loaded once

    face = Image.new("RGB", (WIDTH, HEIGHT), (214, 205, 190))
    pen = ImageDraw.Draw(face)
    pen.ellipse((190, 120, 710, 560), fill=(74, 54, 44))
    pen.rectangle((360, 850, 540, HEIGHT), fill=(206, 160, 132))
    pen.ellipse((230, 180, 670, 960), fill=(226, 182 - round(blush), 154 - round(blush)))
    for x in (330, 570):
        pen.ellipse((x - 62, 470, x + 62, 520), fill=(250, 246, 240))
        pen.ellipse((x - 24, 471, x + 24, 519), fill=(88, 66, 48))
        pen.arc((x - 80, 410, x + 80, 500), 205, 335, fill=(84, 62, 50), width=11)
    pen.line((450, 500, 432, 670, 470, 690), fill=(196, 146, 120), width=8)
    pen.arc((350, 700 - 2 * lift, 550, 800 + lift), 20, 160, fill=(160, 84, 80), width=15)
    pen.arc((300, 640 + lift, 360, 800), 300, 60, fill=(204, 156, 130), width=6)
    pen.arc((540, 640 + lift, 600, 800), 120, 240, fill=(204, 156, 130), width=6)
    pen.rectangle((690, 930, 850, 1080), fill=(160, 160, 160))  # a grey card, held beside the chin
    face = face.filter(ImageFilter.GaussianBlur(1.6)).rotate(
        turn, translate=(round(shift), 0), fillcolor=(214, 205, 190)
    )
    out = BytesIO()
    face.save(out, "JPEG", quality=85)
    corners = ((268, 495), (632, 495), (356, 768 - lift / 2), (544, 768 - lift / 2))
    return out.getvalue(), " ".join(f"{x:.1f},{y:.1f}" for x, y in (_turned(x, y, shift, turn) for x, y in corners))


def _turned(x: float, y: float, shift: float, turn: float) -> tuple[float, float]:
    """Where a point of the drawing lies after it was turned about its middle and moved."""
    a, dx, dy = radians(-turn), x - WIDTH / 2, y - HEIGHT / 2
    return WIDTH / 2 + dx * cos(a) - dy * sin(a) + shift, HEIGHT / 2 + dx * sin(a) + dy * cos(a)
