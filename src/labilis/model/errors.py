"""The one kind of error a user sees: what is wrong, where in the model, what to do about it."""

from __future__ import annotations


class LabilisError(Exception):
    """A mistake that the user can mend.

    `what` is a sentence, `where` a place in the model such as ``supports/foot`` (may be empty),
    `remedy` a sentence that says what to do. `code` is a short stable word for tests and for the
    window's repair buttons."""

    def __init__(self, what: str, where: str = "", remedy: str = "", code: str = "") -> None:
        super().__init__(what)
        self.what, self.where, self.remedy, self.code = what, where, remedy, code

    def __str__(self) -> str:
        place = f"{self.where}: " if self.where else ""
        return f"{place}{self.what}" + (f" {self.remedy}" if self.remedy else "")

    def __reduce__(self) -> tuple[type, tuple[str, str, str, str]]:
        return type(self), (self.what, self.where, self.remedy, self.code)
