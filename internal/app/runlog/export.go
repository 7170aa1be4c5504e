package runlog

import (
	"archive/zip"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/form"
)

// Export writes every run of a runner: CSV, JSON, or a zip of the GPX files that runs
// came from.
func (r *Log) Export(ctx context.Context, who app.Actor, runnerID uint64, format string, w io.Writer) error {
	runner, err := r.Visits.Runner(ctx, who, runnerID)
	if err != nil {
		return err
	}
	type line struct {
		Date    string   `json:"date"`
		Start   string   `json:"start,omitempty"`
		KM      float64  `json:"km"`
		Minutes *float64 `json:"minutes"`
		AscentM *float64 `json:"ascent_m"`
		Kind    string   `json:"kind"`
		Ground  string   `json:"ground"`
		Wet     bool     `json:"wet"`
		TempC   *float64 `json:"temp_c"`
		Pair    string   `json:"pair"`
		How     string   `json:"how"`
	}
	list := []line{}
	files := map[uint64]bool{}
	for _, x := range runner.AllRuns() {
		name := ""
		if p := runner.Pair(x.PairID); p != nil {
			name = p.Name()
		}
		l := line{x.On.Format(time.DateOnly), "", x.KM, x.Minutes, x.AscentM, string(x.Kind), string(x.Ground), x.Wet, x.TempC, name, x.How}
		if !x.StartedAt.IsZero() {
			l.Start = x.StartedAt.Format("15:04")
		}
		if x.FileID != 0 {
			files[x.FileID] = true
		}
		list = append(list, l)
	}
	switch format {
	case "json":
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		return e.Encode(map[string]any{"schema": "trevik.runs/v1", "runs": list})
	case "csv":
		out := csv.NewWriter(w)
		num := func(v *float64) string {
			if v == nil {
				return ""
			}
			return strconv.FormatFloat(*v, 'f', -1, 64)
		}
		records := [][]string{{"Date", "Start", "Distance (km)", "Minutes", "Ascent (m)", "Kind", "Ground", "Wet", "Warmth (°C)", "Pair", "From"}}
		for _, x := range list {
			wet := "no"
			if x.Wet {
				wet = "yes"
			}
			records = append(records, []string{x.Date, x.Start, strconv.FormatFloat(x.KM, 'f', 3, 64), num(x.Minutes), num(x.AscentM), x.Kind,
				x.Ground, wet, num(x.TempC), form.PlainCell(x.Pair), x.How})
		}
		return out.WriteAll(records)
	case "gpx":
		z := zip.NewWriter(w)
		used := map[string]bool{}
		for _, id := range slices.Sorted(maps.Keys(files)) {
			name, data, err := r.File(ctx, who, runnerID, id)
			if err != nil {
				return err
			}
			name = path.Base(strings.ReplaceAll(name, "\\", "/"))
			if used[name] {
				name = fmt.Sprintf("%d-%s", id, name)
			}
			used[name] = true
			f, err := z.Create(name)
			if err == nil {
				_, err = f.Write(data)
			}
			if err != nil {
				return err
			}
		}
		return z.Close()
	}
	return app.ErrNotFound
}
