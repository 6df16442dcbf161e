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
        self.preferring = False
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

    def _is_denied_of(self) -> bool:
        """Whether "no" is of what is said of the noun just read, and not of the noun: "I don't want the glass to be tinted"."""
        at = self.i
        while at < len(self.tokens) and self.tokens[at].has("grammar", "is"):
            at += 1
        return at > self.i and at < len(self.tokens) and any(
            self.tokens[at].has(subject) for subject in ("modifier", "colour", "material")
        )  # fmt: skip

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

    def _is_material_here(self, token: Token, adjectives: Adjectives) -> bool:
        """Whether a word for a plant and its wood is the wood here: "cherry floor", "light woods"."""
        return token.has("material") and (
            self._ahead(1, "part") or self._ahead(1, "building") or bool(adjectives.words)
        )

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

    def _is_orphan(self, token: Token) -> bool:
        """Whether a material or thing is only said of, or told more closely by, a word that nobody knows: "wooden louvres", "brass tap",
        "louvres of oak", "palm trees"."""
        at = next(i for i, t in enumerate(self.all) if t.start == token.start)
        return self._head_is_unknown(at) or (self._owner_is_unknown(at) and not self._noun_is_next())

    def _noun_is_next(self) -> bool:
        token = self._peek()
        return token is not None and (token.has("part") or token.has("building"))

    def _head_is_unknown(self, at: int) -> bool:
        unknown = False
        for token in self.all[at + 1 :]:
            if token.has("part") or token.has("building") or token.has("thing") or token.has("material"):
                return False
            if token.meanings and not (token.has("modifier") or token.has("weather")):
                break
            unknown |= not token.meanings
        return unknown

    def _names_something_unknown(self, token: Token) -> bool:
        """Whether a part or thing only tells what an unknown word right after it is: "door handles"; no verb, as in "kids playing"."""
        at = next(i for i, t in enumerate(self.all) if t.start == token.start) + 1
        return at < len(self.all) and not self.all[at].meanings and not self.all[at].text.endswith(("ing", "ed", "ly"))

    def _owner_is_unknown(self, at: int) -> bool:
        """Whether it follows "… of", "… in" or "… :" behind an unknown word."""
        i = at - 1
        while i >= 0 and (
            not self.all[i].meanings
            or _only_filler(self.all[i])
            or self.all[i].has("modifier")
            or self.all[i].has("colour")
        ):
            i -= 1
        if i < 1 or not self.all[i].has("grammar", "is", "of"):
            return False
        i -= 1
        while i > 0 and _only_filler(self.all[i]):
            i -= 1
        return not self.all[i].meanings

    def _is_led_by_unknown(self, token: Token) -> bool:
        """Whether a word that nobody knows stands further before it: what is to be done with it is not known then, either ("ditch the
        tree"); one right before it only tells its kind ("exposed brick")."""
        at = next(i for i, t in enumerate(self.all) if t.start == token.start)
        begin = max((i + 1 for i, t in enumerate(self.all[:at]) if t.has("grammar", "and", "with")), default=0)
        return any(not t.meanings for t in self.all[begin : max(at - 1, begin)])

    def _has_unknown_word_before(self, token: Token) -> bool:
        """Whether the word right before it is one that nobody knows: "palm trees"."""
        at = next(i for i, t in enumerate(self.all) if t.start == token.start)
        return at > 0 and not self.all[at - 1].meanings

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
