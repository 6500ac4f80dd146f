"""The model of a block fitted in the background and kept, and what is answered from it."""
