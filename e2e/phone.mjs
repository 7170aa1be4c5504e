// A film as a phone writes it: the treadmill's stand-in without dots, as MP4, lying on its side with a flag that says how
// to turn it, and played slower than it was filmed.
import { execFileSync } from "node:child_process";
import path from "node:path";

const root = path.resolve(import.meta.dirname, "..");

/** Writes film.mp4 into a folder and gives its path. told says in the file at what rate it was filmed. */
export function phoneFilm(dir, { seed = 905, fps = 120, seconds = 3, width = 480, height = 360, turned = true, slow = true, told = true,
  frame = "", args = [] } = {}) {
  execFileSync(path.join(root, "bin", "trevik"), ["simulate", "treadmill", "--bare", "--out", dir, "--seed", String(seed), "--fps",
    String(fps), "--seconds", String(seconds), "--width", String(width), "--height", String(height), ...args]);
  const film = path.join(dir, "film.mp4");
  const lying = path.join(dir, "lying.mp4");
  const filters = [frame, turned ? "transpose=1" : ""].filter(Boolean);
  execFileSync("ffmpeg", ["-y", "-loglevel", "error", "-framerate", String(slow ? 30 : fps), "-i", path.join(dir, "%04d.jpg"),
    ...(filters.length > 0 ? ["-vf", filters.join(",")] : []), "-c:v", "libx264", "-preset", "veryfast", "-pix_fmt", "yuv420p",
    "-crf", "20", lying]);
  execFileSync("ffmpeg", ["-y", "-loglevel", "error", "-i", lying, "-c", "copy", ...(turned ? ["-metadata:s:v", "rotate=90"] : []),
    ...(told && slow ? ["-metadata", `com.android.capture.fps=${fps}`] : []), "-movflags", "use_metadata_tags", film]);
  return film;
}
