"""Makes the paged document: notices of the harbour office. Run in this folder when it is to change.

Needs the Python library reportlab.
"""

from reportlab.lib.pagesizes import A4
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen import canvas

for weight in ("Regular", "Bold", "Italic"):
    pdfmetrics.registerFont(TTFont(weight, f"../press/fonts/AtkinsonHyperlegibleNext-{weight}.ttf"))

NOTICES = [
    ("17/26", "Punta Brace light: sector altered", ["The white sector of Punta Brace light now bears 121° to 148° from seaward.", "The red sector begins south of 148°. Green is as before.", "Correct chart 4 and the list of lights, number 112."]),
    ("18/26", "Buoy 2 moved", ["Buoy 2 (red, Fl(2) R 6 s) has been moved 90 m to the west,", "following the survey of the bar in the spring.", "Vessels that draw more than 3 m are to keep to the west side in fog."]),
    ("19/26", "Dredging at Isola Corda", ["From 5 to 23 October a dredger works off the berths.", "It shows two red lights on the side that is foul, two green on the other.", "Pass slowly, at 5 knots or less, and keep a watch on channel 12."]),
    ("20/26", "Berth plan: meeting of harbour users", ["Proposal B for piers A to D is laid out in the harbour office.", "The fairway of 30 m is to be kept clear.", "Users meet on the first Tuesday of November at seven in the evening."]),
]

c = canvas.Canvas("Notices to mariners.pdf", pagesize=A4, invariant=1)
c.setTitle("Notices to mariners, Rada del Sale")
W, H = A4
for page, (number, title, lines) in enumerate(NOTICES, 1):
    c.setFillColorRGB(.08, .1, .13)
    c.rect(0, H - 92, W, 92, fill=1, stroke=0)
    c.setFillColorRGB(.95, .94, .91)
    c.setFont("Bold", 22)
    c.drawString(56, H - 50, "Rada del Sale")
    c.setFont("Regular", 13)
    c.drawString(56, H - 72, "Harbour office · Notices to mariners")
    c.drawRightString(W - 56, H - 50, f"Notice {number}")
    c.setFillColorRGB(.1, .12, .15)
    c.setFont("Bold", 26)
    c.drawString(56, H - 150, title)
    c.setFont("Regular", 15)
    for i, line in enumerate(lines):
        c.drawString(56, H - 190 - i * 24, line)
    c.setStrokeColorRGB(.35, .45, .5)
    c.setFillColorRGB(.87, .93, .93)
    c.rect(56, 190, W - 112, 330, fill=1)
    c.setFillColorRGB(.94, .9, .78)
    path = c.beginPath()
    path.moveTo(56, 520)
    path.curveTo(180, 500, 190, 420, 150, 330)
    path.curveTo(130, 280, 90, 240, 56, 230)
    path.close()
    c.drawPath(path, fill=1)
    for i, (x, y, colour) in enumerate(((260, 420, (.12, .48, .27)), (330, 300, (.7, .2, .17)), (430, 400, (.12, .48, .27)))):
        c.setFillColorRGB(*colour)
        c.circle(x + page * 6, y - page * 4, 9, fill=1)
        c.setFillColorRGB(.1, .12, .15)
        c.setFont("Italic", 11)
        c.drawString(x + page * 6 + 14, y - page * 4 - 4, f"{i + 1}")
    c.setFont("Italic", 11)
    c.drawString(64, 200, "Sketch, not to scale")
    c.setFont("Regular", 10)
    c.drawString(56, 60, "Invented for practice. No such harbour exists.")
    c.drawRightString(W - 56, 60, f"Page {page} of {len(NOTICES)}")
    c.showPage()
c.save()
