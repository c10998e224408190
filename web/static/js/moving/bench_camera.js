// @ts-check
// The bench camera's stand-in: a sheet of paper from above, on which two drawn hands tie a knot, over
// and over. Simulated, and it says so in the picture itself.

const WIDTH = 1280;
const HEIGHT = 720;
/** Milliseconds of one tying. */
const ROUND = 12000;

/** The rope's way at the stages of a figure-of-eight knot, as places of a hand-drawn line. */
const STAGES = [
  [
    [60, 420],
    [300, 410],
    [520, 420],
    [700, 410],
    [860, 420],
    [1000, 415],
    [1120, 420],
    [1220, 420],
  ],
  [
    [60, 420],
    [300, 410],
    [560, 430],
    [800, 360],
    [860, 250],
    [720, 220],
    [640, 320],
    [700, 470],
  ],
  [
    [60, 420],
    [320, 410],
    [560, 430],
    [800, 380],
    [860, 250],
    [700, 210],
    [560, 380],
    [720, 560],
  ],
  [
    [60, 420],
    [320, 410],
    [600, 440],
    [820, 400],
    [840, 260],
    [660, 240],
    [540, 420],
    [640, 560],
  ],
  [
    [60, 420],
    [340, 410],
    [640, 430],
    [800, 380],
    [780, 280],
    [620, 300],
    [600, 440],
    [980, 400],
  ],
  [
    [60, 420],
    [380, 415],
    [620, 425],
    [720, 390],
    [730, 340],
    [650, 350],
    [640, 425],
    [1200, 415],
  ],
];

/** @param {number} a @param {number} b @param {number} t */
const mix = (a, b, t) => a + (b - a) * t;
/** Slow at both ends. @param {number} t */
const ease = (t) => t * t * (3 - 2 * t);

export function benchCamera() {
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [WIDTH, HEIGHT];
  const context = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  const calm = matchMedia("(prefers-reduced-motion: reduce)").matches;
  const draw = () => {
    const at = ((calm ? ROUND * 0.7 : performance.now()) % ROUND) / ROUND;
    paint(context, at * (STAGES.length - 1));
    if (!calm || !canvas.dataset.drawn) setTimeout(() => requestAnimationFrame(draw), 50);
    canvas.dataset.drawn = "yes";
  };
  draw();
  return canvas;
}

/** @param {CanvasRenderingContext2D} c @param {number} stage */
function paint(c, stage) {
  const from = STAGES[Math.floor(stage)];
  const to = STAGES[Math.min(Math.floor(stage) + 1, STAGES.length - 1)];
  const t = ease(stage % 1);
  const rope = from.map(([x, y], i) => [mix(x, to[i][0], t), mix(y, to[i][1], t)]);
  c.fillStyle = "#6f5b45";
  c.fillRect(0, 0, WIDTH, HEIGHT);
  c.fillStyle = "#f4f1e6";
  c.fillRect(40, 30, WIDTH - 80, HEIGHT - 60);
  c.strokeStyle = "#d5dde0";
  c.lineWidth = 1;
  for (let x = 80; x < WIDTH - 40; x += 40)
    line(c, [
      [x, 30],
      [x, HEIGHT - 30],
    ]);
  for (let y = 70; y < HEIGHT - 30; y += 40)
    line(c, [
      [40, y],
      [WIDTH - 40, y],
    ]);
  c.lineCap = c.lineJoin = "round";
  for (const [width, colour] of /** @type {const} */ ([
    [30, "#7d4b1e"],
    [24, "#d9a35a"],
    [4, "#f3d9a6"],
  ])) {
    c.lineWidth = width;
    c.strokeStyle = colour;
    curve(c, rope);
  }
  const end = rope[rope.length - 1];
  hand(c, end[0], end[1], 0.5, false);
  hand(c, 330, 425, -0.4, true);
  c.fillStyle = "#14181d";
  c.fillRect(40, HEIGHT - 76, 560, 46);
  c.fillStyle = "#f3f0e9";
  c.font = "600 24px 'Atkinson Hyperlegible Next', sans-serif";
  c.fillText("Simulated camera: figure-of-eight knot", 58, HEIGHT - 45);
}

/** @param {CanvasRenderingContext2D} c @param {number[][]} points */
function line(c, points) {
  c.beginPath();
  points.forEach(([x, y], i) => (i ? c.lineTo(x, y) : c.moveTo(x, y)));
  c.stroke();
}

/** A smooth line through places (Catmull and Rom). @param {CanvasRenderingContext2D} c @param {number[][]} p */
function curve(c, p) {
  c.beginPath();
  c.moveTo(p[0][0], p[0][1]);
  for (let i = 0; i < p.length - 1; i++) {
    const [a, b, d, e] = [p[Math.max(i - 1, 0)], p[i], p[i + 1], p[Math.min(i + 2, p.length - 1)]];
    c.bezierCurveTo(
      b[0] + (d[0] - a[0]) / 6,
      b[1] + (d[1] - a[1]) / 6,
      d[0] - (e[0] - b[0]) / 6,
      d[1] - (e[1] - b[1]) / 6,
      d[0],
      d[1],
    );
  }
  c.stroke();
}

/** @param {CanvasRenderingContext2D} c @param {number} x @param {number} y @param {number} turn @param {boolean} left */
function hand(c, x, y, turn, left) {
  c.save();
  c.translate(x, y);
  c.rotate(turn);
  c.scale(left ? -1 : 1, 1);
  c.fillStyle = left ? "#8d5a3c" : "#9a6444";
  c.strokeStyle = "#5c3824";
  c.lineWidth = 3;
  c.beginPath();
  c.moveTo(-18, 8);
  for (const [dx, dy, ex, ey] of [
    [-10, -30, 6, -34],
    [20, -36, 28, -18],
    [46, -26, 50, -6],
    [66, -8, 64, 12],
  ])
    c.quadraticCurveTo(dx, dy, ex, ey);
  c.quadraticCurveTo(120, 60, 170, 190);
  c.lineTo(90, 215);
  c.quadraticCurveTo(40, 110, -18, 8);
  c.fill();
  c.stroke();
  c.restore();
}
