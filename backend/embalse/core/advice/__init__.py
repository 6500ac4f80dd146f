"""When, how much and for how long: from a block's water to a decision, its working and its rank."""
