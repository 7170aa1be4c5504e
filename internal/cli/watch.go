package cli

import (
	"encoding/csv"
	"fmt"
	"image/png"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/practice"
	"trevik/internal/recording"
)

// lastDay is where simulated weeks end unless another day is told, so that a seed repeats.
const lastDay = "2026-11-22"

// folder makes the folder that is written into, and reads the last day.
func folder(out, until string) (time.Time, error) {
	var l fault.List
	if out == "" {
		l.Add("out", "is missing; give the folder to write into")
	}
	day, err := time.Parse(time.DateOnly, until)
	if err != nil || day.Year() < 2000 || day.Year() > 2200 {
		l.Add("until", "is %q; allowed is a day such as %s", until, lastDay)
	}
	if err := l.Err(); err != nil {
		return day, err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return day, fault.List{{Field: "out", Text: "cannot be made: " + err.Error()}}
	}
	return day, nil
}

func (t *tool) simulateWatch() *cobra.Command {
	c := &cobra.Command{Use: "watch", Short: "Weeks of runs: GPX 1.1 files, one CSV, truth.json", Args: cobra.NoArgs}
	var o device.WatchOptions
	f := c.Flags()
	out := f.String("out", "", "the folder to write into")
	until := f.String("until", lastDay, "the last day")
	f.Uint64Var(&o.Seed, "seed", 1, "the same seed gives the same runs")
	f.IntVar(&o.Weeks, "weeks", 4, "how many")
	f.Float64Var(&o.WeeklyKM, "weekly-km", 0, "a week; else by the seed")
	f.IntVar(&o.Days, "days", 0, "runs a week; else by the seed")
	f.Float64Var(&o.Every, "every", 1, "seconds between places")
	f.Float64Var(&o.ErrorM, "error", 2, "of a place, metres; -1 is none")
	f.BoolVar(&o.Clean, "clean", false, "no pauses, jumps and gaps")
	c.RunE = func(*cobra.Command, []string) error {
		day, err := folder(*out, *until)
		if err != nil {
			return err
		}
		if o.Weeks < 1 {
			return fault.List{{Field: "weeks", Text: fmt.Sprintf("is %d; allowed is 1 to 104", o.Weeks)}}
		}
		o.Until = day
		w, err := device.NewWatch(o)
		if err != nil {
			return err
		}
		if err := writeWatch(*out, w); err != nil {
			return err
		}
		_, err = fmt.Fprintf(t.out, "%s: %d GPX files, runs.csv, truth.json\n", *out, len(w.Truth.Runs))
		return err
	}
	return c
}

func writeWatch(dir string, w *device.Watch) error {
	for _, run := range w.Truth.Runs {
		if err := os.WriteFile(filepath.Join(dir, run.File), run.GPX, 0o644); err != nil {
			return err
		}
	}
	f, err := os.Create(filepath.Join(dir, "runs.csv"))
	if err != nil {
		return err
	}
	out := csv.NewWriter(f)
	rows := [][]string{{"Date", "Start", "Distance (km)", "Time", "Ascent (m)", "Type", "Surface"}}
	for _, r := range w.Truth.Runs {
		moved := time.Duration(r.MovingS * float64(time.Second)).Round(time.Second)
		rows = append(rows, []string{r.Start.Format(time.DateOnly), r.Start.Format("15:04"), strconv.FormatFloat(r.KM, 'f', 3, 64),
			fmt.Sprintf("%d:%02d:%02d", int(moved.Hours()), int(moved.Minutes())%60, int(moved.Seconds())%60),
			strconv.FormatFloat(r.AscentM, 'f', 0, 64), string(r.Kind), string(r.Ground)})
	}
	err = out.WriteAll(rows)
	if closeErr := f.Close(); err == nil {
		err = closeErr
	}
	if err != nil {
		return err
	}
	return writeJSON(filepath.Join(dir, "truth.json"), w.Truth)
}

func writeScanner(dir string, seed uint64, s *device.Scanner) error {
	if err := writeJSON(filepath.Join(dir, "scan.json"), s.Scan); err != nil {
		return err
	}
	if err := writeJSON(filepath.Join(dir, "truth.json"), s.Truth); err != nil {
		return err
	}
	for _, side := range term.Sides {
		f, err := os.Create(filepath.Join(dir, string(side)+".png"))
		if err != nil {
			return err
		}
		err = png.Encode(f, practice.Photo(s, seed, side))
		if closeErr := f.Close(); err == nil {
			err = closeErr
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func writeTreadmill(dir, format string, m *device.Treadmill) error {
	if err := writeFrames(dir, format, m); err != nil {
		return err
	}
	if err := writeJSON(filepath.Join(dir, recording.File), m.Recording()); err != nil {
		return err
	}
	return writeJSON(filepath.Join(dir, "truth.json"), m.Truth())
}

func (t *tool) simulateRunner() *cobra.Command {
	c := &cobra.Command{Use: "runner",
		Short: "An invented runner whose foot, gait and habits hang together: scanner, two films, watch, runner.json, truth.json",
		Args:  cobra.NoArgs}
	f := c.Flags()
	out := f.String("out", "", "the folder to write into")
	until := f.String("until", lastDay, "the last day of the watch's weeks")
	seed := f.Uint64("seed", 1, "the same seed gives the same runner")
	seconds := f.Float64("seconds", 5, "of each film")
	c.RunE = func(*cobra.Command, []string) error {
		day, err := folder(*out, *until)
		if err != nil {
			return err
		}
		x, err := device.NewRunner(*seed, day, device.TreadmillOptions{FPS: 120, Seconds: *seconds, Width: 640, Height: 480, Near: term.Left,
			Gait: "run"})
		if err != nil {
			return err
		}
		for name, write := range map[string]func(string) error{
			"scanner": func(dir string) error { return writeScanner(dir, *seed, x.Scanner) },
			"rear":    func(dir string) error { return writeTreadmill(dir, "jpeg", x.Rear) },
			"side":    func(dir string) error { return writeTreadmill(dir, "jpeg", x.Side) },
			"watch":   func(dir string) error { return writeWatch(dir, x.Watch) },
		} {
			dir := filepath.Join(*out, name)
			if err := os.MkdirAll(dir, 0o755); err != nil {
				return err
			}
			if err := write(dir); err != nil {
				return err
			}
		}
		if err := writeJSON(filepath.Join(*out, "runner.json"), x.Told); err != nil {
			return err
		}
		if err := writeJSON(filepath.Join(*out, "truth.json"), x.Truth); err != nil {
			return err
		}
		_, err = fmt.Fprintf(t.out, "%s: runner.json, truth.json, scanner, rear, side, watch\n", *out)
		return err
	}
	return c
}
