"""Stock: consistency in every direction, transmitters, chests, cover and mixing."""
