"""The gears below the orrery, drawn with nothing but Python's standard library."""

import math
import struct
import zlib


def chunk(kind, data):
    body = kind + data
    return struct.pack(">I", len(data)) + body + struct.pack(">I", zlib.crc32(body))


def gear(x, y, turn, teeth, radius):
    """How much of a gear is at a point: 0 or 1."""
    angle = math.atan2(y, x) + turn
    rim = radius * (1 + 0.08 * (1 if math.sin(angle * teeth) > 0 else -1))
    distance = math.hypot(x, y)
    return 1 if radius * 0.25 < distance < rim else 0


def render(to, frame, clip, size, bits, channels, camera, layer, settings):
    width, height = (size[0] or 128, size[1] or 128)
    depth, count = int(bits or 8), int(channels or 3)
    turn = (frame - clip[0]) / max(1, clip[1] - clip[0] + 1) * 2 * math.pi / 12
    light = float(settings.get("light", 1.0))
    top = (1 << depth) - 1
    rows = []
    for row in range(height):
        line = bytearray([0])
        for column in range(width):
            x, y = (column / width * 2 - 1) * 1.4, (row / height * 2 - 1) * 1.4
            large = gear(x + 0.45, y, turn, 24, 0.75)
            small = gear(x - 0.55, y, -turn * 2 + math.pi / 12, 12, 0.375)
            brass = (0.80, 0.62, 0.28) if large else (0.92, 0.80, 0.50)
            on = large or small
            color = [part * light if on else 0.06 for part in brass]
            pixel = {1: [sum(color) / 3], 3: color, 4: color + [float(on)]}[count]
            for value in pixel:
                value = round(min(1.0, max(0.0, value)) * top)
                line += value.to_bytes(depth // 8, "big")
        rows.append(bytes(line))
    kind = {1: 0, 3: 2, 4: 6}[count]
    head = struct.pack(">IIBBBBB", width, height, depth, kind, 0, 0, 0)
    with open(to, "wb") as file:
        file.write(b"\x89PNG\r\n\x1a\n")
        file.write(chunk(b"IHDR", head))
        file.write(chunk(b"IDAT", zlib.compress(b"".join(rows))))
        file.write(chunk(b"IEND", b""))
