"""Cooking: alkaline by batch or continuous, acid sulphite and bisulphite."""
