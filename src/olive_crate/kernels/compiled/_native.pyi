# The functions of native/module.cpp; the files beside this one say what they give.
from typing import Any

def __getattr__(name: str) -> Any: ...
