"""The end of a proof that does not hold."""


class Parted(Exception):
    """The two sides cannot be shown to go on alike."""

    def __init__(self, reason: str, path: tuple[str, ...]) -> None:
        super().__init__(reason)
        self.reason = reason
        self.path = path
