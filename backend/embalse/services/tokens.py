"""Tokens are kept as hashes only."""

import hashlib


def token_hash(token: str) -> str:
    """SHA-256 of a token; tokens are long and random, so no salt is needed."""
    return hashlib.sha256(token.encode()).hexdigest()
