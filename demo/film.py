"""Makes the film: a vessel that passes the buoys. Run in this folder when it is to change.

Needs Pillow, and ffmpeg with libvpx.
"""

import math
import subprocess

from PIL import Image, ImageDraw, ImageFont

W, H, RATE, SECONDS = 1280, 720, 25, 12
FONT = ImageFont.truetype("../press/fonts/AtkinsonHyperlegibleNext-Regular.ttf", 24)


def frame(t):
    image = Image.new("RGB", (W, H), "#b9d3de")
    d = ImageDraw.Draw(image)
    for i in range(60):
        shade = int(185 + i * 0.9)
        d.rectangle((0, i * 6, W, i * 6 + 6), fill=(shade - 20, shade + 10, min(255, shade + 28)))
    d.polygon([(0, 360), (0, 250), (150, 235), (300, 300), (470, 355), (520, 360)], fill="#7d8a6c")
    d.polygon([(900, 360), (1010, 310), (1150, 280), (1280, 270), (1280, 360)], fill="#8a9377")
    d.rectangle((0, 358, W, H), fill="#3f7388")
    for row in range(14):
        y = 372 + row * row * 1.8
        for k in range(26):
            x = (k * 57 + row * 31 + t * (12 + row * 7)) % (W + 80) - 40
            d.line((x, y, x + 18 + row * 3, y + 1), fill="#6fa0b2", width=1 + row // 5)

    def buoy(x, y, size, colour, number):
        sway = math.sin(t * 1.7 + x) * size * 0.06
        d.polygon([(x - size * .4, y), (x + size * .4, y), (x + size * .16 + sway, y - size), (x - size * .16 + sway, y - size)], fill=colour, outline="#1a2027")
        d.ellipse((x - size * .5, y - size * .1, x + size * .5, y + size * .14), fill=colour, outline="#1a2027")
        d.text((x + sway, y - size * 1.35), number, font=FONT, fill="#14181d", anchor="mm")

    def vessel(x, y, s):
        heave = math.sin(t * 2.1) * 3 * s
        y += heave
        d.polygon([(x - 190 * s, y), (x - 170 * s, y - 42 * s), (x + 150 * s, y - 42 * s), (x + 215 * s, y - 66 * s), (x + 185 * s, y)], fill="#a5322a", outline="#231f20")
        d.rectangle((x - 160 * s, y - 66 * s, x + 130 * s, y - 42 * s), fill="#e9e3d3", outline="#231f20")
        d.rectangle((x - 150 * s, y - 128 * s, x - 60 * s, y - 66 * s), fill="#f4f1e6", outline="#231f20")
        d.rectangle((x - 142 * s, y - 116 * s, x - 68 * s, y - 98 * s), fill="#33515f")
        d.line((x - 100 * s, y - 128 * s, x - 100 * s, y - 176 * s), fill="#231f20", width=max(2, int(3 * s)))
        d.line((x + 190 * s, y - 2, x + 260 * s, y + 6), fill="#dcebf0", width=3)

    buoy(330, 410, 44, "#1f7a46", "3")
    vessel(-260 + t * 145, 470 - t * 2, 0.85)
    buoy(760, 520, 92, "#b3322c", "2")
    buoy(1120, 430, 52, "#1f7a46", "1")
    d.rectangle((24, H - 56, 420, H - 20), fill="#14181d")
    d.text((38, H - 38), f"Drawn, not filmed   {t:05.2f} s", font=FONT, fill="#f3f0e9", anchor="lm")
    return image


command = ["ffmpeg", "-y", "-loglevel", "error", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{W}x{H}", "-r", str(RATE), "-i", "-",
           "-c:v", "libvpx-vp9", "-b:v", "0", "-crf", "38", "-g", "50", "-row-mt", "1", "-pix_fmt", "yuv420p", "-an", "Vessel at the buoys.webm"]
pipe = subprocess.Popen(command, stdin=subprocess.PIPE)
for n in range(RATE * SECONDS):
    picture = frame(n / RATE)
    pipe.stdin.write(picture.tobytes())
    if n == RATE * 4:
        picture.resize((640, 360)).quantize(64).save("Vessel at the buoys.png", optimize=True)
pipe.stdin.close()
assert pipe.wait() == 0
