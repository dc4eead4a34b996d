"""What the spatula shows of a mat: looks with their likely cause, what to do, and the row of the practice table."""

LOOKS = {
    "even": ("even, lifts whole", "The mat is as it should be.", "", "in"),
    "bald": ("thin or bald strip", "Low feed or a blinded wire, air: clean the face by procedure.", "W3", "act"),
    "wet": ("wet back", "Vat too thick or vacuum lost: look at the drop leg, thin the vat.", "W3", "act"),
    "bands": (
        "dark bands",
        "Displacement is broken, most often a blocked shower: clean the showers, look at the distribution.",
        "W1",
        "act",
    ),
    "foam": ("foam in the mat", "Air, soap or cold wash: seal tank level, wash at 85 °C, then defoamer.", "W4", "watch"),
    "spots": ("black spots", "Knots or pitch through the screen: look at the knotter and the defoamer’s dose.", "", "watch"),
    "slides": ("slides off", "Low consistency or a worn doctor: the sheet does not hold.", "W3", "watch"),
}
