// A worker that turns one of the decoder's frames upright, shrinks it and writes it as JPEG.
onmessage = async ({ data: { n, frame, width, height, rotation, quality } }) => {
  const canvas = new OffscreenCanvas(width, height);
  const pen = canvas.getContext("2d", { willReadFrequently: true }); // it is read at once
  pen.translate(width / 2, height / 2);
  pen.rotate((rotation * Math.PI) / 180);
  const [w, h] = rotation % 180 === 0 ? [width, height] : [height, width];
  pen.drawImage(frame, -w / 2, -h / 2, w, h);
  frame.close();
  postMessage({ n, blob: await canvas.convertToBlob({ type: "image/jpeg", quality }) });
};
