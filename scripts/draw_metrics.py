#!/usr/bin/python3
"""The drawings of docs/quality.md, one for each metric: writes docs/drawings/NAME.svg. Run in the source tree."""
import math
import pathlib

INK, BLUE, RED, FILL, FAINT = '#20262b', '#0072b2', '#c81e1e', '#dcecf5', '#9aa2a8'
WIDTH, HEIGHT = 240, 150


class Drawing:
    def __init__(self):
        self.parts = []

    def polygon(self, points, fill=FILL, line=INK, dash=''):
        text = ' '.join(f'{x:.1f},{y:.1f}' for x, y in points)
        self.parts.append(f'<polygon points="{text}" fill="{fill}" stroke="{line}" stroke-width="1.4" stroke-dasharray="{dash}" stroke-linejoin="round"/>')

    def line(self, a, b, colour=INK, width=1.4, dash='', arrow=False):
        self.parts.append(f'<line x1="{a[0]:.1f}" y1="{a[1]:.1f}" x2="{b[0]:.1f}" y2="{b[1]:.1f}" stroke="{colour}" stroke-width="{width}" stroke-dasharray="{dash}"/>')
        if arrow:
            d = math.atan2(b[1] - a[1], b[0] - a[0])
            tips = [(b[0] - 8 * math.cos(d + s), b[1] - 8 * math.sin(d + s)) for s in (-0.4, 0.4)]
            self.polygon([b] + tips, colour, colour)

    def circle(self, c, r, fill='none', line=INK, dash=''):
        self.parts.append(f'<circle cx="{c[0]:.1f}" cy="{c[1]:.1f}" r="{r}" fill="{fill}" stroke="{line}" stroke-dasharray="{dash}" stroke-width="1.2"/>')

    def dot(self, c, colour=INK):
        self.circle(c, 2.8, colour, colour)

    def angle(self, at, a, b, r=20, colour=RED):
        """An arc from the direction of a to that of b, the short way."""
        s, e = (math.atan2(p[1] - at[1], p[0] - at[0]) for p in (a, b))
        while e - s > math.pi:
            e -= 2 * math.pi
        while e - s < -math.pi:
            e += 2 * math.pi
        p, q = ((at[0] + r * math.cos(t), at[1] + r * math.sin(t)) for t in (s, e))
        self.parts.append(f'<path d="M{p[0]:.1f},{p[1]:.1f} A{r},{r} 0 0 {1 if e > s else 0} {q[0]:.1f},{q[1]:.1f}" fill="none" stroke="{colour}" stroke-width="1.8"/>')

    def text(self, at, text, colour=INK, size=13, anchor='middle'):
        self.parts.append(f'<text x="{at[0]:.1f}" y="{at[1]:.1f}" fill="{colour}" font-size="{size}" text-anchor="{anchor}">{text}</text>')

    def save(self, name):
        head = (f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{HEIGHT}" viewBox="0 0 {WIDTH} {HEIGHT}" '
                'font-family="DejaVu Sans, sans-serif"><rect width="100%" height="100%" fill="#fbfaf7"/>')
        pathlib.Path('docs/drawings', name + '.svg').write_text(head + '\n'.join(self.parts) + '</svg>\n')


def middle(points):
    return tuple(sum(p[k] for p in points) / len(points) for k in (0, 1))


def two_cells(d, left, right, face):
    """Two cells in a plane, with their common face; returns their centres and the face's."""
    d.polygon(left)
    d.polygon(right, '#f6ead2')
    d.line(*face, width=2.6)
    centres = middle(left), middle(right), middle(face)
    for c in centres[:2]:
        d.dot(c)
    return centres


LEFT, RIGHT, FACE = [(20, 40), (112, 22), (126, 118), (38, 132)], [(112, 22), (222, 44), (206, 124), (126, 118)], [(112, 22), (126, 118)]
NORMAL = (0.99, -0.14)

d = Drawing()  # volume
d.polygon([(40, 125), (190, 118), (110, 20)])
d.line((40, 125), (150, 92), dash='4 3')
d.line((150, 92), (190, 118), dash='4 3')
d.line((150, 92), (110, 20), dash='4 3')
d.text((112, 88), 'V')
d.save('volume')

d = Drawing()  # equiangle skewness
d.polygon([(25, 125), (215, 125), (60, 55)])
d.polygon([(70, 125), (170, 125), (120, 38)], 'none', FAINT, '4 3')
d.angle((60, 55), (25, 125), (215, 125), 16)
d.angle((215, 125), (60, 55), (25, 125), 44)
d.text((84, 56), 'largest', RED, 12, 'start')
d.text((158, 122), 'smallest', RED, 12)
d.text((142, 45), '60\u00b0', FAINT, 12, 'start')
d.save('equiangle_skewness')

d = Drawing()  # equivolume skewness
d.circle((120, 76), 62, 'none', FAINT, '4 3')
at = [(120 + 62 * math.cos(t), 76 + 62 * math.sin(t)) for t in (0.35, 2.75, 1.9)]
d.polygon([(120 + 62 * math.cos(t), 76 + 62 * math.sin(t)) for t in (-math.pi / 2, math.pi / 6, 5 * math.pi / 6)], 'none', FAINT, '4 3')
d.polygon(at)
d.text((122, 122), 'V', size=12)
d.text((120, 8 + 60), 'V regular', FAINT, 11)
d.save('equivolume_skewness')

for name, ends, at, label in (('smallest_dihedral', ((212, 128), (200, 70)), (30, 128), 'sharp'), ('largest_dihedral', ((222, 112), (18, 96)), (120, 128), 'flat')):
    d = Drawing()
    a, b = ends
    d.polygon([at, a, b])
    d.line(at, a, width=2.6)
    d.line(at, b, width=2.6)
    d.dot(at)
    d.angle(at, a, b, 46 if label == 'sharp' else 26)
    d.text((120, 40), 'between two faces, seen along their edge', INK, 10)
    d.save(name)

d = Drawing()  # face angles
points = [(25, 122), (210, 112), (80, 30)]
d.polygon(points)
for k in range(3):
    d.angle(points[k], points[(k + 1) % 3], points[(k + 2) % 3], 20)
d.text((160, 36), 'corner angles of each face', INK, 10)
d.save('face_angles')

d = Drawing()  # aspect ratio
d.polygon([(15, 112), (225, 112), (120, 72)])
d.circle((120, 97), 15, '#fff', BLUE)
d.line((15, 126), (225, 126), RED, arrow=True)
d.text((120, 142), 'longest edge', RED, 12)
d.line((120, 97), (134, 97), BLUE)
d.text((148, 92), 'r', BLUE, 12)
d.save('aspect_ratio')

d = Drawing()  # corner determinant
o, a, b, c = (60, 110), (160, 124), (108, 84), (84, 28)
add = lambda p, *q: (p[0] + sum(v[0] - o[0] for v in q), p[1] + sum(v[1] - o[1] for v in q))
for s, e in ((a, add(a, b)), (b, add(a, b)), (a, add(a, c)), (c, add(a, c)), (b, add(b, c)), (c, add(b, c)), (add(a, b), add(a, b, c)), (add(a, c), add(a, b, c)), (add(b, c), add(a, b, c))):
    d.line(s, e, FAINT, 1.1)
for p in (a, b, c):
    d.line(o, p, RED, 2, arrow=True)
d.dot(o)
d.text((196, 24), 'its volume, of unit edges', INK, 10, 'end')
d.save('corner_determinant')

d = Drawing()  # orthogonality
c, other, f = two_cells(d, LEFT, RIGHT, FACE)
d.line(f, (f[0] + 40 * NORMAL[0], f[1] + 40 * NORMAL[1]), RED, 1.8, arrow=True)
d.text((f[0] + 36, f[1] - 12), 'n', RED)
d.line(c, f, BLUE, 1.6, arrow=True)
d.line(c, other, BLUE, 1.6, '4 3', arrow=True)
d.save('orthogonality')

d = Drawing()  # visibility
shape = [(30, 130), (210, 130), (205, 30), (120, 98), (40, 30)]
d.polygon(shape)
d.dot((75, 105))
for p in ((205, 30), (210, 130), (40, 30), (30, 130)):
    d.line((75, 105), p, BLUE, 1, '3 3')
d.line((205, 30), (120, 98), RED, 3)
d.text((180, 88), 'not seen', RED, 12, 'start')
d.save('visibility')

d = Drawing()  # closedness
p = [(70, 40), (165, 32), (190, 108), (100, 128), (45, 96)]
d.polygon(p)
for k in range(5):
    a, b = p[k], p[(k + 1) % 5]
    m = middle([a, b])
    n = (b[1] - a[1], -(b[0] - a[0]))
    d.line(m, (m[0] + 0.24 * n[0], m[1] + 0.24 * n[1]), RED, 1.6, arrow=True)
d.text((118, 86), 'sum of all: 0', INK, 12)
d.save('closedness')

d = Drawing()  # non-orthogonality
c, other, f = two_cells(d, [(18, 62), (112, 18), (126, 114), (30, 136)], [(112, 18), (224, 14), (214, 84), (126, 114)], FACE)
d.line(c, other, BLUE, 1.6, arrow=True)
d.line(c, (c[0] + 112 * NORMAL[0], c[1] + 112 * NORMAL[1]), RED, 1.8, arrow=True)
d.angle(c, other, (c[0] + 10 * NORMAL[0], c[1] + 10 * NORMAL[1]), 62)
d.text((c[0] + 104, c[1] + 2), 'n', RED)
d.save('non_orthogonality')

d = Drawing()  # face-intersection skewness
left, right = [(18, 84), (112, 22), (126, 118), (30, 138)], [(112, 22), (220, 74), (210, 140), (126, 118)]
c, other, f = two_cells(d, left, right, FACE)
d.line(c, other, BLUE, 1.6)
t = (f[0] - c[0]) / (other[0] - c[0])
meets = (c[0] + 1.02 * t * (other[0] - c[0]) + 1.4, c[1] + t * (other[1] - c[1]))
d.dot(f, RED)
d.dot(meets, BLUE)
d.line(f, meets, RED, 3)
d.text((f[0] + 8, f[1] - 6), 'face centre', RED, 11, 'start')
d.save('face_intersection_skewness')

d = Drawing()  # volume ratio
d.polygon([(30, 122), (128, 40), (128, 122)])
d.polygon([(128, 40), (128, 122), (225, 132), (205, 18)], '#f6ead2')
d.text((98, 108), 'V\u2081')
d.text((172, 88), 'V\u2082')
d.save('volume_ratio')

d = Drawing()  # size growth
d.polygon([(70, 40), (120, 34), (120, 122), (66, 116)])
d.polygon([(120, 34), (222, 26), (218, 130), (120, 122)], '#f6ead2')
for x, name in ((94, 'a'), (170, 'b')):
    d.dot((x, 78))
    d.line((x, 78), (120, 78), RED, 1.8)
    d.text(((x + 120) / 2, 72), name, RED, 12)
d.text((120, 146), 'larger of a, b over the smaller', INK, 11)
d.save('size_growth')

d = Drawing()  # warp
d.polygon([(30, 100), (130, 128), (215, 88), (110, 66)], 'none', FAINT, '4 3')
d.polygon([(30, 82), (130, 128), (215, 68), (110, 86)])
for x, low, high in ((30, 100, 82), (215, 88, 68)):
    d.line((x, low), (x, high), RED, 2)
d.text((120, 40), 'distance from the mean plane', RED, 11)
d.save('warp')

d = Drawing()  # area ratio
d.polygon([(90, 125), (100, 25), (35, 90)])
d.polygon([(90, 125), (100, 25), (225, 95)], '#f6ead2')
d.text((74, 88), 'A\u2081')
d.text((134, 90), 'A\u2082')
d.save('area_ratio')

d = Drawing()  # layer figures
y, h = 132.0, 9.0
d.line((15, y), (225, y), INK, 3)
for k in range(5):
    for x in (26, 86, 146):
        d.polygon([(x, y), (x + 60, y), (x + 60, y - h), (x, y - h)], FILL if k else '#bfe0d3')
    y -= h
    h *= 1.25
for x in (26, 86, 146):
    d.polygon([(x, y), (x + 60, y), (x + 30, y - 34)], '#f6ead2')
d.text((214, 129), 'first', RED, 10, 'start')
d.text((1, y - 8), 'step', RED, 10, 'start')
d.text((214, 104), 'growth', RED, 9, 'start')
d.save('layers')
