"""The errors of the core, as a small tree."""


class MerakError(Exception):
    """Anything that the product itself refuses or cannot do."""


class KnowledgeError(MerakError):
    """The rule book is broken; the message names the file and the line."""


class BadInput(MerakError):
    """A value that cannot be worked with; `fields` maps each field's name to what is wrong with it."""

    def __init__(self, fields: dict[str, str]):
        super().__init__("; ".join(f"{name}: {words}" for name, words in fields.items()))
        self.fields = fields


class Refused(MerakError):
    """A rule forbids it. `rule` is the rule's id in the rule book, "" where the refusal is about order of work."""

    def __init__(self, words: str, rule: str = ""):
        super().__init__(words)
        self.words = words
        self.rule = rule
