"""The practice table: one row a symptom, with the model that says whether its signal stands and how large its move is."""
