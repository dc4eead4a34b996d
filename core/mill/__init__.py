"""A mill as data: its document by declaration, read into the mill that the line is run from."""
