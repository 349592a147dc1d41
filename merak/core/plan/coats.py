"""The coats on skin along the clock: what lies under each stage, and what may not."""

from collections.abc import Iterator, Mapping, Sequence

from merak.core.acts import Act
from merak.core.knowledge import Product, Through, number, on_skin, rule
from merak.core.knowledge.register import needs
from merak.core.plan.fitting import Clash, title
from merak.core.plan.shelf import STAYS, Coat, coat_of, names
from merak.core.plan.skin import InTime
from merak.core.plan.stage import Worked
from merak.core.plan.step import Step, lies_still

needs(
    __name__,
    """
    pH: product.ph
    words: product.allergy product.bare product.life product.light product.off product.sterile product.through
    """,
)

#: What lies on skin: the stage that laid it, and the product.
Lying = tuple[InTime, Coat]


def _under(late: InTime, stages: Sequence[InTime], laying: Sequence[InTime]) -> Iterator[Lying]:
    """What lies on any of a stage's skin when it begins, the oldest first: what earlier stages of its step laid and
    nothing took off, and what lies beside it meanwhile. A step takes off what it laid.
    """
    for early in laying:
        if early.step != late.step:
            lies = bool(early.skin & late.skin) and early.begins < late.ends and late.begins < early.ends
        else:
            between = (one for one in stages if one.step == late.step and early.place < one.place < late.place)
            lies = early.place < late.place and lies_still(early, between, late.skin)
        if lies:
            yield from ((early, one) for one in early.coat if one.lies)


def lit(steps: Sequence[Step], opened: bool) -> tuple[Step, ...]:
    """The steps, each as it is laid where light runs beside it: what is not named, and keeps light out, in the kind
    that lets it through; skin may be `opened`.
    """
    return tuple(
        _lit(step, opened) if any(_shines(one) for one in steps if one.beside == step.id) else step for step in steps
    )


def _shines(step: Step) -> bool:
    return any(on_skin()[stage.modality].through == "light" for stage in step.stages)


def _lit(host: Step, opened: bool) -> Step:
    stage = host.stages[-1]
    if stage.how.product.strip():
        return host
    usual = coat_of(stage.modality, stage.settings, "", opened)
    clear = [one.product.lit if one.product and not one.lets("light") else "" for one in usual]
    if not any(clear):
        return host
    words = " + ".join(other or one.name for one, other in zip(usual, clear, strict=True))
    new = stage.model_copy(update={"manner": stage.how.model_copy(update={"product": words})})
    return host.model_copy(update={"stages": (*host.stages[:-1], new)})


def coats_said(acts: Sequence[Act], stages: Sequence[Worked], beneath: Sequence[Coat] = ()) -> list[Act]:
    """The acts of a step, the first of each stage saying over what it is worked, `beneath` what lies there as the step
    begins, and what it lays where that is not what it usually does.
    """
    said: dict[str, str] = {}
    for n, one in enumerate(stages):
        lying = () if on_skin()[one.modality].lifts else range(n)  # what lifts takes it off
        earlier = [stages[k] for k in lying if lies_still(stages[k], stages[k + 1 : n], one.skin)]
        over = [each.name for each in (*beneath, *(each for early in earlier for each in early.coat)) if each.lies]
        usual = coat_of(one.modality, one.settings, "", opened=False)
        lays = [each.name for each in one.coat] if one.coat != usual and not one.stage.manner else []
        words = f"Over {', '.join(dict.fromkeys(over))}. " if over else ""
        mixes = "".join(_mixed(each.product) for each in one.coat if each.product and each.product.mixed)
        said[one.stage.id] = words + (f"Lay {', '.join(lays)}. " if lays else "") + mixes
    return said_first(acts, said)


def said_first(acts: Sequence[Act], said: Mapping[str, str]) -> list[Act]:
    """The acts, the first of each stage beginning with what is said of that."""
    left = dict(said)
    return [_saying(act, left.pop(act.stage, "").strip()) for act in acts]


def _mixed(product: Product) -> str:
    parts = ", then ".join(product.mixed)
    return f"{product.name.capitalize()}: {parts}, mixed now and used whole within {product.life_min:g} min. "


def _saying(act: Act, first: str) -> Act:
    return act.model_copy(update={"instruction": f"{first} {act.instruction}".strip()}) if first else act


def products_told(stages: Sequence[InTime], allergic: Mapping[str, str]) -> Iterator[Clash]:
    """What stands against what is laid, or lies, where a stage is worked. `allergic` are answers of that question, each
    with its words.
    """
    laying = [one for one in stages if any(each.lies for each in one.coat)]
    for one in stages:
        if own := tuple(_own(one, allergic)):
            yield from (clash.model_copy(update={"lay": _instead(one, allergic)}) for clash in own)
        if through := on_skin()[one.stage.modality].through:
            yield from _through(one, through, tuple(_under(one, stages, laying)), _opened(one, stages))
        yield from _left_on(one, stages)
    yield from _alkaline(stages)


def _instead(one: InTime, allergic: Mapping[str, str]) -> str:
    """What a stage usually lays, where something else is named and nothing stands against the usual; else ""."""
    usual = coat_of(one.stage.modality, one.stage.settings, "", opened=False)
    named = one.stage.how.product.strip() and usual != one.coat
    return names(usual) if named and not any(_own(one._replace(coat=usual), allergic)) else ""


def _own(one: InTime, allergic: Mapping[str, str]) -> Iterator[Clash]:
    """What stands against the products that a stage lays, whatever lies there."""
    entry, work = on_skin()[one.stage.modality], title(one.stage.modality)
    for laid in one.coat:
        if "opened" in one.footing.leaves and not laid.sterile:
            yield _told(one, "product.sterile", f"{work} drives in what lies there, and {_known(laid)} is not sterile.")
        if entry.through and not laid.lets(entry.through):
            yield _told(one, "product.through", f"{work}: {_known(laid)} lets no {entry.through} through.")
        if entry.through == "light" and laid.product and laid.product.photosensitising:
            yield _told(one, "product.light", f"{work}: {laid.name} makes skin sensitive to light.")
        if laid.product and (bad := [each for each in laid.product.holds if each in allergic]):
            words = ", ".join(allergic[each] for each in bad)
            yield _told(one, "product.allergy", f"{work}: {laid.name} holds what the client is allergic to: {words}.")
        if laid.product and 0 < laid.product.life_min < (one.stage.how.wait_min or 0):
            yield _told(one, "product.life", f"{work}: {laid.name} lives {laid.product.life_min:g} min once mixed.")
    if entry.film and not any(laid.lies for laid in one.coat):
        yield _told(one, "product.bare", f"{work} lays nothing that stays between.")


def _known(laid: Coat) -> str:
    return laid.name if laid.product else f"“{laid.name}” is not on the shelf: as far as anybody knows it"


def _told(one: InTime, rule_id: str, words: str, action: str = "Lay another product.") -> Clash:
    return Clash(
        kind="product",
        rule=rule_id,
        steps=(one.step,),
        words=f"{words} {rule(rule_id).reason}",
        action=action,
        absolute=True,
        stage=one.stage.id,
    )


def _opened(one: InTime, stages: Sequence[InTime]) -> bool:
    """Whether anything before it opened some of its skin."""
    return any("opened" in each.footing.leaves and each.skin & one.skin for each in stages if each.place < one.place)


def _through(one: InTime, through: Through, lying: Sequence[Lying], opened: bool) -> Iterator[Clash]:
    """What lies there and does not let a work through, once: a wipe takes it off, saline where skin is opened."""
    work = title(one.stage.modality)
    for early, laid in lying:
        dark = through == "light" and laid.product is not None and laid.product.photosensitising
        if laid.lets(through) and not dark:
            continue
        beside = early.step != one.step
        rule_id = "product.light" if dark else "product.through"
        why = "is for the dark" if dark else f"lets no {through} through"
        words = f"{work} is worked over {laid.name}, which {why}."
        mend = "" if beside else "saline" if opened else "wipe"
        yield Clash(
            kind="product" if beside else "need",
            rule=rule_id,
            steps=tuple(dict.fromkeys((one.step, early.step))),
            words=f"{words} {rule(rule_id).reason}",
            action="Not beside each other on the same skin." if beside else f"{title(mend)} first.",
            absolute=True,
            stage=one.stage.id,
            mend=mend,
        )
        return


def _left_on(one: InTime, stages: Sequence[InTime]) -> Iterator[Clash]:
    """What works by its clock, and is to stay on: nothing later in its step takes it off."""
    works = [laid.name for laid in one.coat if laid.product and laid.product.off and laid.lies]
    if not works or one.stage.how.off != "stays on":
        return
    later = [each for each in stages if each.step == one.step and each.place > one.place]
    gone = frozenset[str]().union(
        *(each.skin for each in later if each.stage.how.off not in STAYS or on_skin()[each.stage.modality].lifts)
    )
    if not one.skin <= gone:
        words = f"{title(one.stage.modality)}: {works[0]} is not taken off again."
        yield _told(one, "product.off", words, "Say how it comes off, or wash it off in the same step.")


def _alkaline(stages: Sequence[InTime]) -> Iterator[Clash]:
    """Skin that an alkaline product leaves so: nothing after it on all of that skin brings it back."""
    if not any(_is_alkaline(each) for one in stages for each in one.coat):
        return
    back = {
        one.place: one.skin
        for one in stages
        if one.stage.how.off == "neutraliser" or any(_is_alkaline(laid) is False for laid in one.coat)
    }
    for one in stages:
        high = [laid.name for laid in one.coat if _is_alkaline(laid)]
        after = (skin for place, skin in back.items() if place >= one.place)
        if high and not one.skin <= frozenset[str]().union(*after):
            words = f"{title(one.stage.modality)}: {high[0]} leaves skin alkaline, and nothing brings it back."
            yield _told(one, "product.ph", words, "Tone after it, or a finish with a tonic.")


def _is_alkaline(laid: Coat) -> bool | None:
    """Whether a product leaves skin alkaline (rule product.ph); None where it says nothing of its pH."""
    return laid.product.ph[0] > number("product.ph") if laid.product and laid.product.ph else None
