"""What is refused says where it is shown."""


class FieldRefused(Exception):
    """Why something cannot be kept, in words: `field` is the well to show it beside."""

    def __init__(self, field: str, text: str):
        super().__init__(text)
        self.field = field
