"""Safety as reminders: cards, what must never meet, checklists. They defer to local law and site procedure, always."""
