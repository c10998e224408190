"""Draws the demo pictures: a harbour that does not exist. Run in this folder when they are to change.

Needs Pillow and numpy for the echo sounder's trace; the rest is plain text.
"""

import math
import random

random.seed(12)
W, H = 1920, 1080
LAND, SHORE, DEEP = "#efe6c8", "#7a6f55", "#deecee"


def smooth(points, closed=True):
    """A smooth path through points (Catmull and Rom, as cubic Bézier curves)."""
    n = len(points)
    d = f"M{points[0][0]:.1f} {points[0][1]:.1f}"
    for i in range(n if closed else n - 1):
        p0, p1, p2, p3 = (points[(i + k) % n] if closed else points[max(0, min(n - 1, i + k))] for k in (-1, 0, 1, 2))
        c1 = (p1[0] + (p2[0] - p0[0]) / 6, p1[1] + (p2[1] - p0[1]) / 6)
        c2 = (p2[0] - (p3[0] - p1[0]) / 6, p2[1] - (p3[1] - p1[1]) / 6)
        d += f"C{c1[0]:.1f} {c1[1]:.1f} {c2[0]:.1f} {c2[1]:.1f} {p2[0]:.1f} {p2[1]:.1f}"
    return d + ("Z" if closed else "")


WEST = [(-60, -60), (760, -60), (735, 60), (690, 140), (660, 205), (672, 270), (600, 335), (520, 380), (480, 470), (468, 560), (400, 610), (290, 640), (215, 690), (150, 790), (60, 860), (-60, 900)]
EAST = [(1980, 170), (1860, 215), (1740, 245), (1640, 300), (1575, 345), (1572, 420), (1620, 490), (1660, 590), (1730, 650), (1800, 720), (1890, 780), (1980, 810)]


def light(x, y):
    sector = f"M{x} {y}L{x + 96} {y - 20}A98 98 0 0 1 {x + 78} {y + 60}Z"
    return (f'<path d="{sector}" fill="#8fbf5f" opacity=".55"/>'
            f'<path d="M{x} {y}L{x + 78} {y + 60}A98 98 0 0 1 {x + 26} {y + 94}Z" fill="#c2325a" opacity=".5"/>'
            f'<circle cx="{x}" cy="{y}" r="9" fill="#8c1d4f"/><circle cx="{x}" cy="{y}" r="3" fill="#fff"/>')


def buoy(x, y, colour, number):
    top = f"M{x - 13} {y}L{x} {y - 32}L{x + 13} {y}Z" if colour == "#1f7a46" else f"M{x - 12} {y}V{y - 28}H{x + 12}V{y}Z"
    return (f'<path d="{top}" fill="{colour}" stroke="#1a2027" stroke-width="2"/><circle cx="{x}" cy="{y + 7}" r="6" fill="#fff" stroke="#1a2027" stroke-width="2"/>'
            f'<text x="{x + 20}" y="{y - 8}" font-size="22" fill="#1a2027">{number}</text>')


def rose(x, y, r):
    out = [f'<g stroke="#8a5a86" fill="none" stroke-width="2"><circle cx="{x}" cy="{y}" r="{r}"/><circle cx="{x}" cy="{y}" r="{r - 22}" stroke-width="1"/></g>']
    for a in range(0, 360, 10):
        s, c = math.sin(math.radians(a)), -math.cos(math.radians(a))
        inner = r - (22 if a % 30 == 0 else 12)
        out.append(f'<path d="M{x + r * s:.1f} {y + r * c:.1f}L{x + inner * s:.1f} {y + inner * c:.1f}" stroke="#8a5a86" stroke-width="{2 if a % 30 == 0 else 1}"/>')
        if a % 90 == 0:
            out.append(f'<text x="{x + (r + 20) * s:.1f}" y="{y + (r + 20) * c + 7:.1f}" font-size="20" text-anchor="middle" fill="#8a5a86">{"NESW"[a // 90]}</text>')
    out.append(f'<path d="M{x} {y - r + 28}L{x + 12} {y}L{x} {y + r - 28}L{x - 12} {y}Z" fill="#8a5a86" opacity=".25"/><path d="M{x} {y - r + 28}L{x + 12} {y}H{x - 12}Z" fill="#8a5a86"/>')
    return "".join(out)


def scale_bar(x, y, unit):
    """Half a nautical mile in five cables of 185.2 m."""
    out = [f'<text x="{x}" y="{y - 12}" font-size="20" fill="#34414a">Cables (185.2 m)</text>']
    for i in range(5):
        out.append(f'<rect x="{x + i * unit}" y="{y}" width="{unit}" height="10" fill="{"#34414a" if i % 2 == 0 else "#fff"}" stroke="#34414a" stroke-width="2"/>')
    for i in range(6):
        out.append(f'<text x="{x + i * unit}" y="{y + 32}" font-size="18" text-anchor="middle" fill="#34414a">{i}</text>')
    return "".join(out)


BUOYS = ((930, 460), (1240, 372), (1050, 650), (1350, 770))


def near_land(x, y):
    def inside(poly):
        hit = False
        for (x1, y1), (x2, y2) in zip(poly, poly[1:] + poly[:1]):
            if (y1 > y) != (y2 > y) and x < (x2 - x1) * (y - y1) / (y2 - y1) + x1:
                hit = not hit
        return hit

    return any(inside(p) or any(math.hypot(x - a, y - b) < 60 for a, b in p) for p in (WEST, EAST + [(2100, 900), (2100, 100)]))


def chart(answers):
    out = [f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {W} {H}" width="{W}" height="{H}" font-family="Atkinson Hyperlegible Next, sans-serif">', f'<rect width="{W}" height="{H}" fill="{DEEP}"/>']
    for width, colour in ((230, "#c4e0e5"), (110, "#a9d0db")):
        for land in (WEST, EAST):
            out.append(f'<path d="{smooth(land, land is WEST)}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-linejoin="round"/>')
    out.append(f'<path d="{smooth(WEST)}" fill="{LAND}" stroke="{SHORE}" stroke-width="3"/>')
    out.append(f'<path d="{smooth(EAST, False)}L2000 900L2000 100Z" fill="{LAND}" stroke="{SHORE}" stroke-width="3"/>')
    out.append('<g stroke="#6f95a0" stroke-width="1.5" opacity=".45">' + "".join(f'<path d="M{x} 0V{H}"/>' for x in range(192, W, 192)) + "".join(f'<path d="M0 {y}H{W}"/>' for y in range(57, H, 192)) + "</g>")
    soundings = random.Random(5)
    placed = []
    for _ in range(2600):
        x, y = soundings.uniform(60, W - 60), soundings.uniform(40, H - 40)
        clear = all(math.hypot(x - a, y - b) > 66 for a, b in placed)
        if len(placed) < 105 and clear and not near_land(x, y) and not (1080 < x < 1640 and 170 < y < 260) and not (1420 < x and y > 800) and not (x < 460 and y > 950) and not (900 < x < 1420 and 940 < y < 1010) and all(not (a - 60 < x < a + 70 and b - 60 < y < b + 40) for a, b in BUOYS):
            placed.append((x, y))
            depth = max(2, min(27, int((min(abs(x - 600), abs(x - 1640)) / 26) + soundings.uniform(-3, 4))))
            out.append(f'<text x="{x:.0f}" y="{y:.0f}" font-size="20" font-style="italic" text-anchor="middle" fill="#3d5561">{depth}</text>')
    out.append('<g stroke="#5b5f66" stroke-width="2" stroke-dasharray="14 10"><path d="M900 1080C930 800 1010 640 1130 480S1300 200 1330 0M1180 1080C1200 860 1290 690 1390 560S1560 240 1590 0" fill="none" opacity=".55"/></g>')
    out.append(light(668, 222))
    for x, y, colour, number in ((930, 460, "#1f7a46", "1"), (1240, 372, "#1f7a46", "3"), (1050, 650, "#b3322c", "2"), (1350, 770, "#b3322c", "4")):
        out.append(buoy(x, y, colour, number))
    names = '<g fill="#3c3a30" font-size="27"><text x="390" y="180">Punta Brace</text><text x="1700" y="450">Isola Corda</text></g><text x="930" y="985" font-size="40" letter-spacing="13" fill="#5c7a86">RADA DEL SALE</text>'
    if answers:
        out.append(names + '<text x="480" y="240" font-size="20" fill="#6d1a44">Fl WRG 5s 18m 9M</text><text x="1130" y="234" font-size="34" fill="#1a2027">keep to the west side in fog</text>')
    else:
        out.append(names + '<g><rect x="1060" y="40" width="820" height="150" fill="#fffdf6" stroke="#1a2027" stroke-width="2"/><text x="1086" y="92" font-size="32" fill="#1a2027">Mark the safe water between the buoys,</text><text x="1086" y="140" font-size="32" fill="#1a2027">and name the light at Punta Brace.</text></g><g stroke="#1a2027" stroke-width="2"><path d="M400 262H640" /></g>')
    out.append(rose(1660, 930, 100) + scale_bar(60, 1000, 68) + "</svg>")
    return "".join(out)


def berths():
    out = [f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1600 1000" width="1600" height="1000" font-family="Atkinson Hyperlegible Next, sans-serif"><rect width="1600" height="1000" fill="#e4eef0"/>',
           '<path d="M0 0H1600V150H0Z" fill="#e9e4d6" stroke="#8d8672" stroke-width="3"/><text x="60" y="92" font-size="38" font-weight="700" fill="#1a2027">Rada del Sale: berth plan, proposal B</text>']
    rnd = random.Random(3)
    hull = ["#5f7f93", "#8a8f96", "#a8785a", "#6b8a6f"]
    for p, x in enumerate((160, 520, 880, 1240)):
        out.append(f'<rect x="{x}" y="150" width="44" height="690" fill="#cbbf9f" stroke="#8d8672" stroke-width="2"/><text x="{x + 22}" y="884" font-size="34" text-anchor="middle" font-weight="700" fill="#1a2027">{"ABCD"[p]}</text>')
        for b in range(9):
            y = 190 + b * 71
            for side in (-1, 1):
                bx = x + 22 + side * 30
                length = rnd.choice((70, 86, 104))
                out.append(f'<path d="M{bx} {y + 46}h{side * 118}" stroke="#8d8672" stroke-width="4"/>')
                if rnd.random() < .74:
                    x0, x1 = bx, bx + side * length
                    out.append(f'<path d="M{x0} {y}H{x1}Q{x1 + side * 26} {y + 15} {x1} {y + 30}H{x0}Z" fill="{rnd.choice(hull)}" stroke="#2c3a44" stroke-width="2"/>')
                number = b * 2 + (1 if side < 0 else 2)
                out.append(f'<text x="{bx + side * 132}" y="{y + 53}" font-size="17" text-anchor="{"end" if side < 0 else "start"}" fill="#3c4a52">{number}</text>')
    out.append('<path d="M40 950H1560" stroke="#0072B2" stroke-width="3" stroke-dasharray="20 12"/><text x="800" y="938" font-size="22" text-anchor="middle" fill="#0b4f78">fairway, 30 m to be kept clear</text></svg>')
    return "".join(out)


def sounder(path):
    import numpy as np
    from PIL import Image, ImageDraw

    rng = np.random.default_rng(4)
    w, h = 2400, 1350
    x = np.arange(w)
    bottom = 820 + 160 * np.sin(x / 330) + 90 * np.sin(x / 127 + 1) - 260 * np.exp(-((x - 1650) / 190) ** 2)
    bottom += rng.normal(0, 3, w).cumsum() * .35
    y = np.arange(h)[:, None]
    below = y - bottom[None, :]
    echo = np.where(below > 0, np.exp(-below / 150) * (0.75 + 0.25 * rng.random((h, w))), 0)
    second = y - (2 * bottom - 120)[None, :]
    echo += np.where(second > 0, 0.25 * np.exp(-second / 60), 0) * rng.random((h, w))
    echo += 0.05 * rng.random((h, w)) + np.where(y < 26, .8 * rng.random((h, w)), 0)
    for cx, cy, r in ((420, 430, 60), (980, 520, 42), (2080, 360, 75)):
        school = np.exp(-(((x[None, :] - cx) / r) ** 2 + ((y - cy) / (r * .45)) ** 2))
        echo += school * (rng.random((h, w)) > .45) * .7
    e = np.clip(echo, 0, 1)[..., None]
    cold, mid, hot = (np.array(c, float) for c in ((8, 22, 48), (34, 150, 170), (250, 214, 120)))
    rgb = np.where(e < .5, cold + (mid - cold) * e * 2, mid + (hot - mid) * (e - .5) * 2)
    image = Image.fromarray(rgb.astype("uint8")).quantize(64)
    draw = ImageDraw.Draw(image.convert("RGB"))
    image = image.convert("RGB")
    draw = ImageDraw.Draw(image)
    for m in range(0, 41, 5):
        yy = int(30 + m * 32)
        draw.line((w - 90, yy, w - 60, yy), fill=(255, 255, 255), width=3)
        draw.text((w - 52, yy - 12), f"{m}", fill=(255, 255, 255), font_size=26)
    image.quantize(96).save(path, optimize=True)


open("Harbour approach.svg", "w").write(chart(True))
open("Mark the safe water.svg", "w").write(chart(False))
open("Berth plan.svg", "w").write(berths())
sounder("Echo sounder, Isola Corda.png")
