"""``python -m reflexa.motion.kernels``: compiles the kernels, which set-up does once."""

from reflexa.motion.kernels.warming import warm

if __name__ == "__main__":
    warm()
