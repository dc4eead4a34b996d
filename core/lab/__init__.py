"""Raw weighings to results."""
