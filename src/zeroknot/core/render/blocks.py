"""In which sizes is a render handed out?"""

# Small enough that the first is there soon, large enough that few are asked for.
BLOCK_FRAMES = 16_384
