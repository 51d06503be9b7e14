# 500 small moving items as OBJ sequences of one archive: made once, through wyc itself.
import math, os, subprocess, sys

wyc, work = sys.argv[1], sys.argv[2]
target = os.path.join(work, "many.abc")
if not os.path.exists(target):
    import struct

    folder = os.path.join(work, "many")
    os.makedirs(folder, exist_ok=True)
    paths = []
    for item in range(500):
        path = os.path.join(folder, f"piece{item:03d}x.mdd")
        frames, points = 48, 64
        with open(path, "wb") as f:
            f.write(struct.pack(">ii", frames, points))
            f.write(struct.pack(f">{frames}f", *[(1001 + i) / 24 for i in range(frames)]))
            for i in range(frames):
                values = [c for p in range(points) for c in (p % 8 + item, math.sin(i * 0.2 + p), p // 8)]
                f.write(struct.pack(f">{points * 3}f", *values))
        paths.append(path)
    subprocess.run([wyc, "convert", *paths, "-o", target, "-q"], check=True, stdout=subprocess.DEVNULL)
