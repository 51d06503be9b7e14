#!/usr/bin/env python3
"""Makes large layered scenes for the measurements: DIR/points.usdc (a mesh that moves), points.usda (the same as text, fewer frames),
prims.usda (10,000 prims), instances.usdc (a million instances). Tables are stored in blocks that are packed but not shortened."""
import array
import math
import struct
import sys


def lz4_block(data):
    """One LZ4 block of literals alone, behind the byte that says it is one piece."""
    out = bytearray(b"\0")
    n = len(data)
    out.append((15 if n >= 15 else n) << 4)
    if n >= 15:
        rest = n - 15
        while rest >= 255:
            out.append(255)
            rest -= 255
        out.append(rest)
    return bytes(out) + data


def whole_numbers(numbers):
    """The commonest step is 0 here; all others are written as 32 bits."""
    codes = bytearray((len(numbers) + 3) // 4)
    rest = bytearray()
    before = 0
    for i, number in enumerate(numbers):
        step = (number - before) & 0xFFFFFFFF
        before = number
        if step == 0:
            continue
        codes[i // 4] |= 3 << (2 * (i % 4))
        rest += struct.pack("<I", step)
    return lz4_block(struct.pack("<i", 0) + bytes(codes) + bytes(rest))


class Binary:
    """A layer of one level of prims below the root."""

    ARRAY = 1 << 63
    INLINED = 1 << 62

    def __init__(self, path):
        self.file = open(path, "wb")
        self.file.write(b"PXR-USDC" + bytes([0, 8, 0, 0, 0, 0, 0, 0]) + bytes(72))
        self.tokens = [""]
        self.prims = []  # name, fields, [(property, fields)]
        self.root = []

    def token(self, text):
        if text not in self.tokens:
            self.tokens.append(text)
        return self.tokens.index(text)

    def word(self, kind, payload, flags=0):
        return flags | kind << 48 | payload

    def token_word(self, text):
        return self.word(11, self.token(text), self.INLINED)

    def double_word(self, number):
        return self.word(9, struct.unpack("<I", struct.pack("<f", number))[0], self.INLINED)

    def array(self, kind, count, data):
        at = self.file.tell()
        self.file.write(struct.pack("<Q", count) + data)
        return self.word(kind, at, self.ARRAY)

    def names(self, names):
        at = self.file.tell()
        self.file.write(struct.pack("<Q", len(names)) + b"".join(struct.pack("<I", self.token(n)) for n in names))
        return self.word(41, at)

    def samples(self, times, words):
        at = self.file.tell()
        times_at = at + 8
        self.file.write(struct.pack("<q", 8 + 8 + 8 * len(times)) + struct.pack("<Q", len(times)) + struct.pack(f"<{len(times)}d", *times))
        self.file.write(struct.pack("<Q", self.word(48, times_at)))
        self.file.write(struct.pack("<q", 8) + struct.pack("<Q", len(words)) + struct.pack(f"<{len(words)}Q", *words))
        return self.word(46, at)

    def close(self):
        fields, sets, specs, paths = [], [], [], []

        def field_set(listed):
            at = len(sets)
            for name, word in listed:
                sets.append(len(fields))
                fields.append((self.token(name), word))
            sets.append(0xFFFFFFFF)
            return at

        root = self.root + [("primChildren", self.names([p[0] for p in self.prims]))]
        specs.append((0, field_set(root), 7))
        paths.append((0, 0, -1 if self.prims else -2))
        number = 1
        for i, (name, listed, properties) in enumerate(self.prims):
            listed = listed + [("properties", self.names([p[0] for p in properties]))]
            specs.append((number, field_set(listed), 6))
            last = i + 1 == len(self.prims)
            size = 1 + len(properties)
            paths.append((number, self.token(name), -1 if last else size if properties else 0))
            number += 1
            for k, (called, own) in enumerate(properties):
                specs.append((number, field_set(own), 1))
                paths.append((number, -self.token(called), -2 if k + 1 == len(properties) else 0))
                number += 1
        sections = []

        def section(name, data):
            sections.append((name, self.file.tell(), len(data)))
            self.file.write(data)

        block = b"".join(t.encode() + b"\0" for t in self.tokens)
        packed = lz4_block(block)
        section("TOKENS", struct.pack("<QQQ", len(self.tokens), len(block), len(packed)) + packed)
        section("STRINGS", struct.pack("<Q", 0))
        sized = lambda data: struct.pack("<Q", len(data)) + data
        words = lz4_block(b"".join(struct.pack("<Q", w) for _, w in fields))
        section("FIELDS", struct.pack("<Q", len(fields)) + sized(whole_numbers([n for n, _ in fields])) + sized(words))
        section("FIELDSETS", struct.pack("<Q", len(sets)) + sized(whole_numbers(sets)))
        section("PATHS", struct.pack("<QQ", len(paths), len(paths)) + b"".join(sized(whole_numbers([p[i] for p in paths])) for i in range(3)))
        section("SPECS", struct.pack("<Q", len(specs)) + b"".join(sized(whole_numbers([s[i] for s in specs])) for i in range(3)))
        contents = self.file.tell()
        self.file.write(struct.pack("<Q", len(sections)))
        for name, start, size in sections:
            self.file.write(struct.pack("<16sqq", name.encode(), start, size))
        self.file.seek(16)
        self.file.write(struct.pack("<q", contents))
        self.file.close()


def grid(side):
    sizes = [4] * ((side - 1) * (side - 1))
    corners = []
    for y in range(side - 1):
        for x in range(side - 1):
            a = y * side + x
            corners += [a, a + 1, a + 1 + side, a + side]
    return sizes, corners


def wave(side, frame):
    points = array.array("f")
    heights = [math.sin(0.05 * x + 0.2 * frame) for x in range(side)]
    for y in range(side):
        for x in range(side):
            points.extend((x * 0.1, heights[x] + 0.01 * y, y * 0.1))
    return points


def attribute(layer, kind, value):
    return [("typeName", layer.token_word(kind))] + value


def main():
    folder = sys.argv[1]
    points_count = int(sys.argv[2]) if len(sys.argv) > 2 else 200_000
    frames = int(sys.argv[3]) if len(sys.argv) > 3 else 240
    side = round(math.sqrt(points_count))
    sizes, corners = grid(side)

    layer = Binary(f"{folder}/points.usdc")
    layer.root = [("timeCodesPerSecond", layer.double_word(24.0))]
    words = []
    first = wave(side, 0)
    for frame in range(frames):
        moved = array.array("f", first)
        moved[1::3] = array.array("f", [h + 0.01 * frame for h in first[1::3]]) if frame else first[1::3]
        words.append(layer.array(24, side * side, moved.tobytes()))
    points = layer.samples([1001.0 + f for f in range(frames)], words)
    counts = layer.array(3, len(sizes), array.array("i", sizes).tobytes())
    indices = layer.array(3, len(corners), array.array("i", corners).tobytes())
    layer.prims.append(("sheet", [("specifier", layer.word(42, 0, layer.INLINED)), ("typeName", layer.token_word("Mesh"))],
                        [("faceVertexCounts", attribute(layer, "int[]", [("default", counts)])),
                         ("faceVertexIndices", attribute(layer, "int[]", [("default", indices)])),
                         ("points", attribute(layer, "point3f[]", [("timeSamples", points)]))]))
    layer.close()

    with open(f"{folder}/points.usda", "w", encoding="utf-8") as text:
        text.write('#usda 1.0\n(\n    timeCodesPerSecond = 24\n)\ndef Mesh "sheet"\n{\n')
        text.write(f"    int[] faceVertexCounts = {sizes}\n    int[] faceVertexIndices = {corners}\n    point3f[] points.timeSamples = {{\n")
        for frame in range(20):
            p = wave(side, frame)
            text.write(f"        {1001 + frame}: [" + ", ".join("(%.7g, %.7g, %.7g)" % (p[i], p[i + 1], p[i + 2]) for i in range(0, len(p), 3)) + "],\n")
        text.write("    }\n}\n")

    with open(f"{folder}/prims.usda", "w", encoding="utf-8") as text:
        text.write('#usda 1.0\n(\n    defaultPrim = "all"\n    timeCodesPerSecond = 24\n)\ndef Xform "all"\n{\n')
        for group in range(100):
            text.write(f'    def Xform "group_{group}"\n    {{\n')
            for k in range(99):
                text.write(f'        def Mesh "m_{k}"\n        {{\n            int[] faceVertexCounts = [3]\n            int[] faceVertexIndices = [0, 1, 2]\n'
                           f'            point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\n            double3 xformOp:translate = ({k}, 0, {group})\n'
                           '            uniform token[] xformOpOrder = ["xformOp:translate"]\n        }\n')
            text.write("    }\n")
        text.write("}\n")

    count = 1_000_000
    layer = Binary(f"{folder}/instances.usdc")
    layer.root = [("timeCodesPerSecond", layer.double_word(24.0))]
    places = array.array("f")
    for i in range(count):
        places.extend((0.1 * (i % 1000), 0.0, 0.1 * (i // 1000)))
    positions = layer.array(24, count, places.tobytes())
    which = layer.array(3, count, array.array("i", [0] * count).tobytes())
    layer.prims.append(("field", [("specifier", layer.word(42, 0, layer.INLINED)), ("typeName", layer.token_word("PointInstancer"))],
                        [("positions", attribute(layer, "point3f[]", [("default", positions)])),
                         ("protoIndices", attribute(layer, "int[]", [("default", which)]))]))
    layer.close()


main()
