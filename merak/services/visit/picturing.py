"""Photographs of a visit: taken or uploaded by view, landmarks clicked, laid beside those of an earlier visit."""

from dataclasses import dataclass
from datetime import date
from io import BytesIO
from uuid import UUID

from merak.core.body.align import Similarity, similarity
from merak.core.errors import BadInput
from merak.records import visits
from merak.records.bodies.visit import PhotosAfterBody, PhotosBody, ShotBody
from merak.services.clients.keeping import keep_file
from merak.services.context import Context
from merak.services.forms import finite
from merak.services.permission import Action
from merak.services.visit.file import VisitFile, changing, open_file

#: View → what it is called, and the landmarks that are clicked in it.
VIEWS: dict[str, tuple[str, tuple[str, ...]]] = {
    "front": ("Front", ("right outer eye corner", "left outer eye corner", "right mouth corner", "left mouth corner")),
    "right-oblique": ("Right oblique", ("right outer eye corner", "tip of the nose", "right mouth corner")),
    "left-oblique": ("Left oblique", ("left outer eye corner", "tip of the nose", "left mouth corner")),
    "right-profile": ("Right profile", ("right tragus", "tip of the nose", "chin")),
    "left-profile": ("Left profile", ("left tragus", "tip of the nose", "chin")),
}
PhotoPoint = tuple[float, float]


@dataclass(frozen=True)
class Photo:
    """A photograph: its file, its size in pixels, the landmarks as far as they were clicked, and the day."""

    file: str
    width: int
    height: int
    landmarks: tuple[PhotoPoint, ...]
    on: date


#: When photographs are taken → as what they are kept, and what one does then.
MOMENTS: dict[str, tuple[type[PhotosBody], Action]] = {
    "before": (PhotosBody, "look"),
    "after": (PhotosAfterBody, "close"),
}


@dataclass
class Pictured:
    """The page of one view: today's photograph, earlier ones of the same view, and how one of them is laid over
    today's.
    """

    file: VisitFile
    view: str
    photos: dict[str, Photo]
    earlier: list[Photo]
    against: Photo | None
    laid: Similarity | None
    wrong: dict[str, str]
    moment: str = "before"

    @property
    def photo(self) -> Photo | None:
        """Today's."""
        return self.photos.get(self.view)

    @property
    def landmarks(self) -> tuple[str, ...]:
        """What is clicked in this view."""
        return VIEWS[self.view][1]


def pictured(
    ctx: Context,
    visit_id: UUID,
    view: str = "front",
    against: str = "",
    wrong: dict[str, str] | None = None,
    moment: str = "before",
) -> Pictured:
    """What stands, before the treatment or after. An earlier photograph is laid over this one where the same landmarks
    were clicked in both.
    """
    view = view if view in VIEWS else "front"
    moment = moment if moment in MOMENTS else "before"
    file = open_file(ctx, visit_id)
    here, on = _shots(file, moment), file.visit.starts_at.astimezone(ctx.zone).date()
    today = {name: _photo(shot, on) for name, shot in here.items() if name in VIEWS}
    before = [(at.astimezone(ctx.zone).date(), body.root) for at, body in visits.photos_before(ctx.db, file.visit)]
    if moment == "after":
        before.append((on, _shots(file, "before")))
    earlier = [_photo(shots[view], day) for day, shots in before if view in shots]
    other = next((one for one in earlier if one.file == against), earlier[-1] if earlier else None)
    page = Pictured(file, view, today, earlier, other, None, wrong or {}, moment)
    if page.photo and other and page.photo.landmarks and other.landmarks:
        try:
            page.laid = similarity(other.landmarks, page.photo.landmarks)
        except BadInput as bad:
            page.wrong |= bad.fields
    return page


def _shots(file: VisitFile, moment: str) -> dict[str, ShotBody]:
    """The photographs of a moment, by view."""
    kind = MOMENTS[moment][0]
    return (file.body(kind) or kind()).root


def _photo(shot: ShotBody, on: date) -> Photo:
    return Photo(str(shot.file), shot.width, shot.height, shot.landmarks, on)


def add_photo(ctx: Context, visit_id: UUID, view: str, content: bytes | None, moment: str = "before") -> Pictured:
    """Keeps a photograph of a view; an earlier one of today stays on the record. What is wrong comes back on "file"."""
    if view not in VIEWS or moment not in MOMENTS:
        raise BadInput({"view": "From which side?"})
    kind, action = MOMENTS[moment]
    try:
        with changing(ctx, visit_id, action) as file:
            kept = keep_file(ctx, file.visit.client_id, content or b"", "photo")
            width, height = _size(kept.content)
            body = kind({**_shots(file, moment), view: ShotBody(file=kept.id, width=width, height=height)})
            file.keep(ctx, body)
    except BadInput as bad:
        return pictured(ctx, visit_id, view, wrong=bad.fields, moment=moment)
    return pictured(ctx, visit_id, view, moment=moment)


def _size(content: bytes) -> tuple[int, int]:
    from PIL import Image  # where it is used: the first page does without

    with Image.open(BytesIO(content)) as picture:
        return picture.width, picture.height


def mark_landmarks(ctx: Context, visit_id: UUID, view: str, points: str, moment: str = "before") -> Pictured:
    """Keeps the landmarks clicked in a photograph, "x,y x,y …" in its pixels and in their order. Raises BadInput on
    "landmarks".
    """
    moment = moment if moment in MOMENTS else "before"
    kind, action = MOMENTS[moment]
    with changing(ctx, visit_id, action) as file:
        photos = _shots(file, moment)
        if view not in photos:
            raise BadInput({"landmarks": "There is no photograph of this view yet."})
        try:
            found = [(finite(x), finite(y)) for x, y in (one.split(",") for one in points.split())]
        except ValueError:
            found = [(-1.0, -1.0)]
        shot = photos[view]
        inside = all(0 <= x <= shot.width and 0 <= y <= shot.height for x, y in found)
        if not inside or len(found) > len(VIEWS[view][1]):
            raise BadInput({"landmarks": "Those points do not lie on the photograph."})
        body = kind({**photos, view: shot.model_copy(update={"landmarks": tuple(found)})})
        file.keep(ctx, body)
    return pictured(ctx, visit_id, view, moment=moment)
