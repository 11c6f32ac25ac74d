"""``python -m reflexa.formats.usd.worker``: the process that reads USD files for another."""

from reflexa.formats.usd.read import layers_of, read_here
from reflexa.formats.usd.subprocess_reader import serve

if __name__ == "__main__":
    serve({"read": read_here, "layers": layers_of})
