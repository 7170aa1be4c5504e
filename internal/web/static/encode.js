// A worker that turns one of the decoder's frames upright, shrinks it and writes it as JPEG.

// The colours of a large picture are dear to turn into the canvas's: what is to be shrunk to less than half is halved before,
// as the decoder gave it, in planes of a byte a place. The colours' two have half as many places each way as the brightness.
const PLANES = "I420";
let room = new Uint8Array(0); // that a frame is copied into
const whole = (n, by) => Math.ceil(n / by) * by;

// A plane of words of four places, rows of so many words from the place `at` on: the mean of each 2 x 2, two to a word's half.
function halved(from, at, row, to, out, words, height) {
  for (let y = 0; y < height; y++) {
    let a = at + 2 * y * row;
    let b = a + row;
    for (let x = 0; x < words; x++) {
      const p = from[a++];
      const q = from[b++];
      const sums = (p & 0xff00ff) + ((p >>> 8) & 0xff00ff) + (q & 0xff00ff) + ((q >>> 8) & 0xff00ff) + 0x20002;
      to[out++] = ((sums >>> 2) & 0xff) | ((sums >>> 10) & 0xff00);
    }
  }
}

// A frame that is large enough to be halved, and lies as it is shown.
const large = (f, w, h) => f.format === PLANES && !f.rotation && !f.flip && f.visibleRect.width >= 2 * w && f.visibleRect.height >= 2 * h;

// A frame at half its size.
async function half(frame) {
  const { width, height } = frame.visibleRect;
  const [w, h] = [width >> 3 << 2, height >> 2 << 1]; // of the half: two places of each plane at a time, a rest is left out
  const [row, colours] = [whole(width, 16), whole(width, 16) / 2];
  const at = [0, row * height, row * height + colours * Math.ceil(height / 2)];
  const size = at[2] + colours * Math.ceil(height / 2);
  if (room.length < size) room = new Uint8Array(whole(size, 4));
  await frame.copyTo(room, { layout: at.map((offset, i) => ({ offset, stride: i === 0 ? row : colours })) });
  const small = new Uint8Array((w * h * 3) / 2);
  const from = new Int32Array(room.buffer);
  const to = new Uint16Array(small.buffer);
  halved(from, 0, row / 4, to, 0, w / 2, h);
  halved(from, at[1] / 4, colours / 4, to, (w * h) / 2, w / 4, h / 2);
  halved(from, at[2] / 4, colours / 4, to, (w * h * 5) / 8, w / 4, h / 2);
  const { timestamp, colorSpace } = frame;
  return new VideoFrame(small, { format: PLANES, codedWidth: w, codedHeight: h, timestamp, colorSpace, transfer: [small.buffer] });
}

let canvas = null;
let pen = null;
async function write({ frame, width, height, rotation, quality }) {
  if (canvas?.width !== width || canvas.height !== height) {
    canvas = new OffscreenCanvas(width, height);
    pen = canvas.getContext("2d", { willReadFrequently: true, alpha: false }); // it is read at once
  }
  const [w, h] = rotation % 180 === 0 ? [width, height] : [height, width];
  let shown = frame;
  while (large(shown, w, h)) {
    const small = await half(shown).catch(() => null); // this browser cannot: it is drawn as it is
    if (!small) break;
    shown.close();
    shown = small;
  }
  pen.setTransform(1, 0, 0, 1, width / 2, height / 2);
  pen.rotate((rotation * Math.PI) / 180);
  pen.drawImage(shown, -w / 2, -h / 2, w, h);
  shown.close();
  return canvas.convertToBlob({ type: "image/jpeg", quality });
}

let before = Promise.resolve(); // one frame after another: they share canvas and room
onmessage = ({ data }) => {
  before = before.then(() => write(data)).then((blob) => postMessage({ n: data.n, blob }),
    (error) => postMessage({ n: data.n, fault: String(error.message ?? error) }));
};
