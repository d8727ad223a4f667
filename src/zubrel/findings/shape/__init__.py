"""What every win includes, in which order, and what lies behind what."""
