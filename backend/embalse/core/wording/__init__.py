"""What Embalse says: a code with its values in SI, and the one place that makes a sentence of them.

The core returns a `Notice`; whoever shows it asks for its text in the reader's units. A language is another table of
messages.
"""

from embalse.core.wording.formatting import METRIC, Reader, sentences, text
from embalse.core.wording.notice import Notice, Text, Value, as_json, from_json, plain

__all__ = ["METRIC", "Notice", "Reader", "Text", "Value", "as_json", "from_json", "plain", "sentences", "text"]
