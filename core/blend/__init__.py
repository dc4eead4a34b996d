"""The furnish: what a mix of pulps becomes."""
