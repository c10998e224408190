#!/usr/bin/env python3
"""Makes letters.txt: the outlines of the letters that scales and faces are lettered with.

Needs fonttools and brotli from Python's registry. A line for each letter: the letter, how far it takes,
and its outline in steps with a semicolon after each: m, l, q and z as SVG has them, but each place, in whole
numbers, from the one before it. 512 to the size of type, y downwards.
"""

from fontTools.misc.transform import Transform
from fontTools.pens.cu2quPen import Cu2QuPen
from fontTools.pens.recordingPen import DecomposingRecordingPen
from fontTools.pens.transformPen import TransformPen
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

FONTS = "../../../web/static/fonts/atkinson-hyperlegible-next-latin{}-wght-normal.woff2"
LETTERS = (
    "%'()+,-./:0123456789"
    "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz"
    "°±²³·×ßàâäçèéêëìîïñòôöùûüœ′″−"
)
EM = 512
PLAIN = {"′": "'", "″": '"', "−": "-"}


def fonts():
    for part in ["", "-ext"]:
        font = TTFont(FONTS.format(part))
        yield instantiateVariableFont(font, {"wght": 600})


def outline(font, name):
    scale = EM / font["head"].unitsPerEm
    pen = DecomposingRecordingPen(font.getGlyphSet())
    quadratic = Cu2QuPen(TransformPen(pen, Transform(scale, 0, 0, -scale, 0, 0)), 1.0)
    font.getGlyphSet()[name].draw(quadratic)
    parts, at, start = [], (0, 0), (0, 0)

    def step(verb, *points):
        nonlocal at
        points = [(round(x), round(y)) for x, y in points]
        for x, y in points:
            verb += f"{x - at[0]} {y - at[1]} "
            at = (x, y)
        parts.append(verb.rstrip() + ";")

    for verb, points in pen.value:
        if verb == "moveTo":
            step("m", *points)
            start = at
        elif verb == "lineTo":
            step("l", *points)
        elif verb == "qCurveTo":
            # Points on the curve lie half-way between those that it is drawn towards.
            off, last = list(points[:-1]), points[-1]
            for i, c in enumerate(off):
                on = last if i == len(off) - 1 else tuple((a + b) / 2 for a, b in zip(c, off[i + 1]))
                step("q", c, on)
        else:
            parts.append("z;")
            at = start
    return round(font["hmtx"][name][0] * scale), "".join(parts)


def main():
    found = {}
    for font in fonts():
        cmap = font.getBestCmap()
        for letter in LETTERS:
            code = next((c for c in (letter, PLAIN.get(letter, letter)) if ord(c) in cmap), None)
            if letter not in found and code:
                found[letter] = outline(font, cmap[ord(code)])
    missing = [letter for letter in LETTERS if letter not in found]
    assert not missing, missing
    with open("letters.txt", "w", encoding="utf-8") as out:
        for letter in sorted(LETTERS):
            advance, path = found[letter]
            out.write(f"{letter} {advance} {path}\n")


main()
