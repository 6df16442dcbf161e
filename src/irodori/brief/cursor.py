"""Where reading stands in a clause, and what follows from there."""

from __future__ import annotations

from irodori.brief.brief import Place
from irodori.brief.drafts import Adjectives, Draft
from irodori.brief.said import Said
from irodori.brief.tokens import Token


class Cursor:
    """A clause's tokens, the place that was read to, and what the clause has said so far."""

    def __init__(self, said: Said, tokens: list[Token]) -> None:
        self.so_far = said
        self.all = tokens
        # Fillers part nothing; what nobody knows was told already.
        self.tokens = [t for t in tokens if t.meanings and not _only_filler(t)]
        self.i = 0
        self.no = said.avoided
        self.keep = False
        self.only = False
        self.replacing: str | None = None
        self.things: list[int] = []
        self.lead = Place()
        self.comparison = 0
        self.drafted: list[Draft] = []
        self.joined_by_with = False
        self.bare: list[tuple[Place, Token]] = []
        self.lamps: list[Token] = []
        self.decided = len(said.decisions)

    def _peek(self) -> Token | None:
        return self.tokens[self.i] if self.i < len(self.tokens) else None

    def _ahead(self, n: int, subject: str) -> bool:
        return self.i + n < len(self.tokens) and self.tokens[self.i + n].has(subject)

    def _first(self, adjectives: Adjectives, token: Token) -> Token:
        """The token that a phrase begins with: its first adjective, else `token`."""
        return next((t for t in self.all if t.start == adjectives.start), token)

    def _noun_follows(self) -> bool:
        """Whether a surface, a thing or a material comes after further adjectives."""
        for token in self.tokens[self.i + 1 :]:
            if (
                token.has("part")
                or token.has("material")
                or token.has("building")
                or token.has("thing")
                or token.has("lamps")
            ):
                return True
            if not (token.has("modifier") or token.has("colour") or token.has("size") or token.has("number")):
                return False
        return False

    def _place_follows(self, n: int) -> bool:
        if self.i + n >= len(self.tokens):
            return False
        token = self.tokens[self.i + n]
        if token.has("grammar", "all") and self.i + n + 1 < len(self.tokens):
            token = self.tokens[self.i + n + 1]
        return token.has("building") or token.has("place") or (token.has("part") and not token.has("material"))

    def _relation_follows(self) -> bool:
        return self.i + 1 < len(self.tokens) and self.tokens[self.i].has("relation") and self._place_follows(1)

    def _material_follows(self) -> bool:
        """Whether a material or colour is said of what was just named."""
        for token in self.tokens[self.i :]:
            if token.has("material") or token.has("colour"):
                return True
            if not (token.has("grammar", "is") or token.has("modifier") or token.has("relation", "at")):
                return False
        return False

    def _is_material_here(self, token: Token) -> bool:
        """Whether a word for a plant and its wood is the wood here: "cherry floor"."""
        return token.has("material") and (self._ahead(1, "part") or self._ahead(1, "building"))

    def _is_part_here(self) -> bool:
        """Whether a word for a material and for what is made of it is the thing here: "on the lawn", "the lawn in clover"."""
        before = self.tokens[self.i - 1] if self.i else None
        after = self.tokens[self.i + 1] if self.i + 1 < len(self.tokens) else None
        return (before is not None and before.has("relation")) or (
            after is not None and after.has("grammar", "is") and not after.has("relation", "before")
        )

    def _is_said_of(self, index: int) -> bool:
        """Whether something is said of the part at `index`: an adjective or material follows it."""
        after = self.tokens[index + 1] if index + 1 < len(self.tokens) else None
        return after is not None and (after.has("material") or after.has("colour") or after.has("grammar", "is"))

    def _thing_place(self) -> Place:
        """The place that follows: "on the left", "behind the hall", "by the door"; nothing is taken when there is none."""
        i = self.i
        relation = ""
        if i < len(self.tokens) and self.tokens[i].has("relation"):
            relation = self.tokens[i].key("relation") or ""
            i += 1
        while i < len(self.tokens) and self.tokens[i].has("grammar", "of") and not self.tokens[i].has("relation"):
            i += 1
        if i >= len(self.tokens):
            return Place()
        token = self.tokens[i]
        if token.has("place"):
            self.i = i + 1
            return Place(to=token.key("place") or "")
        if not relation:
            # German puts "entlang" behind its noun.
            return Place()
        relation = "by" if relation == "at" else relation
        name = token.key("building") or token.key("part")
        if name is None:
            return Place()
        self.i = i + 1
        if self.i < len(self.tokens) and self.tokens[self.i].has("part") and token.has("building"):
            self.i += 1
        return Place(relation=relation, to=name)

    def _skip_place(self, where_alone: bool = False) -> None:
        """Pass over a place that only says where life is: "lively quay", "busy on the terrace"."""
        begin = self.i
        if self.i < len(self.tokens) and self.tokens[self.i].has("relation") and self._place_follows(1):
            self.i += 2
        elif (
            not where_alone
            and self.i < len(self.tokens)
            and (self.tokens[self.i].has("building") or self.tokens[self.i].has("part"))
        ):
            self.i += 1
        self.so_far.used |= {t.start for t in self.tokens[begin : self.i]}


def _only_filler(token: Token) -> bool:
    return all(m.subject == "filler" for m in token.meanings)
