package cli

import (
	"bytes"
	"encoding/json"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func call(stdin string, args ...string) (code int, out, errOut string) {
	var o, e bytes.Buffer
	code = Run(args, strings.NewReader(stdin), &o, &e)
	return code, o.String(), e.String()
}

// answer calls a calculator with --json and reads its one object.
func answer(t *testing.T, stdin string, args ...string) map[string]any {
	t.Helper()
	code, out, errOut := call(stdin, append(args, "--json")...)
	if code != Answered || errOut != "" {
		t.Fatalf("%v: exit %d: %s", args, code, errOut)
	}
	var v map[string]any
	if err := json.Unmarshal([]byte(out), &v); err != nil {
		t.Fatalf("%v: %v in %q", args, err, out)
	}
	if _, ok := v["warnings"].([]any); !ok {
		t.Errorf("%v: warnings are absent", args)
	}
	return v
}

func TestSizeContract(t *testing.T) {
	v := answer(t, "", "size", "--foot-mm", "262.5", "--ball-mm", "100", "--chart", "men")
	for field, want := range map[string]any{"schema": "trevik.size/v1", "mondopoint_mm": 265.0, "chart": "men", "us": 9.0, "uk": 8.0,
		"eu": 42.0, "cm": 26.5, "width": "D", "last_mm": 279.4} {
		if v[field] != want {
			t.Errorf("%s: %v, want %v", field, v[field], want)
		}
	}
	if v := answer(t, "", "size", "--foot-mm", "262.5", "--chart", "men"); v["width"] != nil {
		t.Errorf("width %v without a ball", v["width"])
	}
	if v := answer(t, "", "size", "--foot-mm", "262.5", "--heel-to-ball-mm", "200", "--chart", "men"); v["decided_by"] != "heel_to_ball" {
		t.Errorf("decided by %v", v["decided_by"])
	}
}

const evidence = `{"schema":"trevik.evidence/v1","gait":{"left":{"band_probability":{"under":0,"neutral":0.7,"mild":0.3,"marked":0,
"severe":0},"source":"run"},"right":{"source":"by_eye","band":"mild","certainty":"sure"}},
"arch":{"left":{"arch_probability":{"high":0,"medium":0.2,"low":0.8}}},"navicular_drop_mm":{"left":6,"right":7},"knee_in_deg":{"left":4,
"right":3},"wear":{"left":{"inner":0.6},"right":{},"shoe_level":"neutral"},
"complaints":[{"place":"shin","side":"left","months_ago":2}],"comfortable_level":null,"ankles_give_outward":false,"flags":[],
"surface":"road","trail_rule":"platform_only","lead":"comfort_first","race_in_days":null}`

func TestSupportContract(t *testing.T) {
	v := answer(t, evidence, "support", "-")
	if v["schema"] != "trevik.support/v1" || v["refer"] != false || v["lead"] != "comfort_first" || v["level"] != "neutral" {
		t.Errorf("%v", v)
	}
	schools := v["schools"].(map[string]any)
	for _, name := range []string{"pronation_matched", "least_correction", "comfort_first", "natural_foot"} {
		s, ok := schools[name].(map[string]any)
		if !ok || s["per_side"] == nil || len(s["why"].([]any)) == 0 {
			t.Errorf("%s: %v", name, schools[name])
		}
	}
	if level := schools["pronation_matched"].(map[string]any)["level"]; level != "guidance" {
		t.Errorf("pronation matched: %v", level)
	}
	for _, field := range []string{"spread", "conflicts", "missing"} {
		if _, ok := v[field].([]any); !ok {
			t.Errorf("%s is no list: %v", field, v[field])
		}
	}
	r := answer(t, `{"schema":"trevik.evidence/v1","flags":["limp"]}`, "support", "-")
	if r["refer"] != true || r["schools"] != nil || r["level"] != nil || len(r["spread"].([]any)) != 0 {
		t.Errorf("referred: %v", r)
	}
}

const request = `{"schema":"trevik.request/v1","feet":{"left":{"length_mm":262.5,"ball_mm":100,"shape":"round","volume":"medium"},
"right":{"length_mm":260.7,"ball_mm":99}},"chart":"men","sock":"medium",
"kinds":[{"kind":"easy","ground":"road","share":0.7},{"kind":"race","ground":"road","share":0.3}],"surface":"road","conditions":[],
"race_km":null,"level":"neutral","spread":["neutral"],"lead":"comfort_first","strike":"heel",
"present":{"drop_mm":10,"stack_mm":34,"level":"neutral"},"likes":{"softness":4,"bounce":3},"mass_kg":71,"experience":"regular",
"complaints":[],"budget":{"amount":16000,"currency":"EUR","firm":true},"disliked":[],"weights":{},
"settings":{"room":"finger","drop":"habit_and_strike"},"models":[
{"id":"a","maker":"Norrbeck","name":"Skua","version":4,"chart":"men","surface":"road","class":"daily","level":"neutral",
"stack_heel_mm":34,"stack_forefoot_mm":24,"weight_g":262,"softness":3,"bounce":3,"last_shape":"standard","volume":"medium",
"widths":["D","E"],"sizes_uk":[7,7.5,8,8.5,9],"list_price":14900,"currency":"EUR"},
{"id":"b","maker":"Ishkel","name":"Whimbrel","version":7,"chart":"men","surface":"road","class":"daily","level":"guidance",
"stack_heel_mm":35,"stack_forefoot_mm":25,"weight_g":282,"softness":3,"bounce":3,"last_shape":"standard","volume":"medium",
"widths":["D"],"sizes_uk":[8,8.5,9],"list_price":15400,"currency":"EUR"}]}`

func TestMatchContract(t *testing.T) {
	v := answer(t, request, "match", "-")
	ranked, out := v["ranked"].([]any), v["ruled_out"].([]any)
	if v["schema"] != "trevik.match/v1" || len(ranked) != 1 || len(out) != 1 || len(v["try_on"].([]any)) != 1 {
		t.Fatalf("%v", v)
	}
	first := ranked[0].(map[string]any)
	size := first["size"].(map[string]any)
	if first["model"] != "a" || size["us"] != 9.5 || size["uk"] != 8.5 || size["eu"] != 42.5 || size["width"] != "D" ||
		first["worst_kind"] != "race" {
		t.Errorf("%v", first)
	}
	if e, there := first["earlier"]; !there || e != nil || len(first["marks"].([]any)) != 13 {
		t.Errorf("%v", first)
	}
	if o := out[0].(map[string]any); o["model"] != "b" || o["reason"] != "level" || o["text"] == "" {
		t.Errorf("%v", o)
	}
}

const pair = `{"schema":"trevik.pair/v1","class":"daily","median_km":null,"price":14000,"heel_stack_mm":34,"first_worn":"2026-06-01",
"today":"2026-11-24","runner":{"mass_kg":71,"strike":"heel","history":[{"class":"daily","effective_km":540}]},
"runs":[{"date":"2026-06-02","km":8,"ground":"road","kind":"easy","wet":false,"temp_c":18,"hours_since_last":48}],"lifting_hours":0,
"surface":"road","rest_hours":24,"inspections":[{"date":"2026-09-01","tread":0.4,"bounce":0.5,"upper":null,"evenness":0.2,
"beside_fresh":false,"faults":[]}],
"plan_weekly_km":[20,22,25],"races":[{"date":"2027-03-14","km":42.2}],"delivery_days":7,"break_in_km":40}`

func TestWearContract(t *testing.T) {
	v := answer(t, pair, "wear", "-")
	if v["schema"] != "trevik.wear/v1" || v["km"] != 8.0 || v["effective_km"] != 8.0 {
		t.Errorf("%v", v)
	}
	for _, field := range []string{"life_km", "ln_life", "remaining_km", "dates", "schools"} {
		if _, ok := v[field].(map[string]any); !ok {
			t.Errorf("%s: %v", field, v[field])
		}
	}
	if r := v["races"].([]any)[0].(map[string]any); r["date"] != "2027-03-14" || r["at_risk"] == nil {
		t.Errorf("%v", r)
	}
}

// Each input that is at fault: exit 2, nothing on standard output, a line a fault
// that names its field.
func TestFaults(t *testing.T) {
	dir := t.TempDir()
	broken := filepath.Join(dir, "broken.json")
	if err := os.WriteFile(broken, []byte(`{"schema":`), 0o600); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		stdin string
		args  []string
		want  []string
	}{
		"no length":        {"", []string{"size", "--chart", "men", "--json"}, []string{"foot_mm"}},
		"two faults":       {"", []string{"size", "--foot-mm", "20", "--chart", "kids", "--json"}, []string{"chart", "foot_mm"}},
		"no number":        {"", []string{"size", "--foot-mm", "long", "--chart", "men", "--json"}, []string{"foot_mm"}},
		"not finite":       {"", []string{"size", "--foot-mm", "NaN", "--chart", "men", "--json"}, []string{"foot_mm"}},
		"off the chart":    {"", []string{"size", "--foot-mm", "190", "--chart", "men", "--json"}, []string{"foot_mm"}},
		"unknown flag":     {"", []string{"size", "--toe", "1"}, []string{"--toe"}},
		"unknown command":  {"", []string{"sise"}, []string{"sise"}},
		"no file named":    {"", []string{"support"}, []string{"arg"}},
		"no such file":     {"", []string{"support", filepath.Join(dir, "none.json")}, []string{"input"}},
		"cut off":          {"", []string{"wear", broken}, []string{"input"}},
		"empty":            {"", []string{"match", "-"}, []string{"input"}},
		"unknown field":    {`{"schema":"trevik.pair/v1","colour":"red"}`, []string{"wear", "-"}, []string{"colour"}},
		"another's schema": {`{"schema":"trevik.week/v1","class":"daily","today":"2026-11-24"}`, []string{"wear", "-"}, []string{"schema"}},
		"bad chances": {strings.Replace(evidence, "0.7", "0.5", 1), []string{"support", "-", "--json"},
			[]string{"gait.left.band_probability"}},
		"negative length": {strings.Replace(request, "262.5", "-262.5", 1), []string{"match", "-", "--json"}, []string{"feet.left.length_mm"}},
		"negative km":     {strings.Replace(pair, `"km":8`, `"km":-8`, 1), []string{"wear", "-", "--json"}, []string{"runs[0].km"}},
		"no DSN":          {"", []string{"migrate", "--dsn", ""}, []string{"dsn"}},
	} {
		code, out, errOut := call(c.stdin, c.args...)
		if code != AtFault || out != "" {
			t.Errorf("%s: exit %d, out %q, err %q", name, code, out, errOut)
		}
		lines := strings.Split(strings.TrimSpace(errOut), "\n")
		if len(lines) != len(c.want) {
			t.Errorf("%s: %d lines: %q", name, len(lines), errOut)
			continue
		}
		for i, field := range c.want {
			if !strings.Contains(lines[i], field) {
				t.Errorf("%s: %q does not name %s", name, lines[i], field)
			}
		}
	}
}

func TestTablesForPeople(t *testing.T) {
	for name, c := range map[string]struct {
		stdin string
		args  []string
		want  string
	}{
		"size": {"", []string{"size", "--foot-mm", "262.5", "--chart", "men"}, "Mondopoint"}, "support": {evidence, []string{"support", "-"},
			"comfort first"},
		"refer": {`{"flags":["limp"]}`, []string{"support", "-"}, "clinician"}, "match": {request, []string{"match", "-"}, "Ruled out: b"},
		"wear": {pair, []string{"wear", "-"}, "Order by"}, "version": {"", []string{"version"}, "trevik"},
	} {
		if code, out, errOut := call(c.stdin, c.args...); code != Answered || !strings.Contains(out, c.want) {
			t.Errorf("%s: exit %d %q %q", name, code, out, errOut)
		}
	}
}

// What the scanner hands over is read back as its truth says, and a seed repeats.
func TestScannerAndFootprint(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"a", "b"} {
		if code, _, errOut := call("", "simulate", "scanner", "--out", filepath.Join(dir, name), "--seed", "5"); code != Answered {
			t.Fatal(errOut)
		}
	}
	for _, file := range []string{"scan.json", "truth.json", "left.png", "right.png"} {
		one, err := os.ReadFile(filepath.Join(dir, "a", file))
		if err != nil {
			t.Fatal(err)
		}
		two, err := os.ReadFile(filepath.Join(dir, "b", file))
		if err != nil || !bytes.Equal(one, two) {
			t.Errorf("%s does not repeat: %v", file, err)
		}
	}
	var truth struct {
		Prints map[string]struct {
			ArchIndex float64 `json:"arch_index"`
			LengthMM  float64 `json:"length_mm"`
		} `json:"prints"`
	}
	data, err := os.ReadFile(filepath.Join(dir, "a", "truth.json"))
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(data, &truth); err != nil {
		t.Fatal(err)
	}
	for _, side := range []string{"left", "right"} {
		v := answer(t, "", "footprint", filepath.Join(dir, "a", side+".png"))
		want := truth.Prints[side]
		if v["foot"] != side || v["scale"].(map[string]any)["source"] != "sheet" || math.Abs(v["arch_index"].(float64)-want.ArchIndex) > 0.005 ||
			math.Abs(v["length_mm"].(float64)-want.LengthMM) > 1 {
			t.Errorf("%s: %v %v %v, want %+v", side, v["foot"], v["arch_index"], v["length_mm"], want)
		}
		for _, field := range []string{"thirds", "outline", "toes"} {
			if len(v[field].([]any)) < 4 {
				t.Errorf("%s: %v", field, v[field])
			}
		}
	}
	// The blank sheet holds no print; what is no picture is named.
	blank := filepath.Join(dir, "blank.txt")
	if err := os.WriteFile(blank, []byte("no picture"), 0o600); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		args []string
		want string
	}{
		"no picture":      {[]string{"footprint", blank}, "photo"},
		"no such file":    {[]string{"footprint", filepath.Join(dir, "none.png")}, "photo"},
		"half a corner":   {[]string{"footprint", blank, "--corners", "1,2,3", "--paper", "a4"}, "corners"},
		"corners alone":   {[]string{"footprint", blank, "--corners", "1,2,3,4,5,6,7,8"}, "paper"},
		"unknown paper":   {[]string{"sheet", "--paper", "a5"}, "paper"},
		"negative scale":  {[]string{"footprint", blank, "--mm-per-px", "-1"}, "mm_per_px"},
		"no folder named": {[]string{"simulate", "scanner"}, "out"},
	} {
		if code, out, errOut := call("", c.args...); code != AtFault || out != "" || !strings.HasPrefix(errOut, c.want) {
			t.Errorf("%s: exit %d, %q", name, code, errOut)
		}
	}
	for _, format := range []string{"svg", "pdf"} {
		if code, out, _ := call("", "sheet", "--paper", "a3", "--format", format); code != Answered || len(out) < 1000 {
			t.Errorf("%s sheet: exit %d, %d bytes", format, code, len(out))
		}
	}
}

// The treadmill's stand-in writes a recording that the calculator reads, the same as
// a folder and as a repeated seed.
func TestTreadmillAndGait(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "film")
	args := []string{"simulate", "treadmill", "--seed", "3", "--seconds", "2", "--width", "400", "--height", "300", "--out"}
	if code, _, errs := call("", append(args, dir)...); code != 0 {
		t.Fatalf("simulate: %d %s", code, errs)
	}
	var truth struct {
		Sides map[string]struct {
			Peak float64 `json:"peak_eversion_deg"`
		} `json:"sides"`
	}
	data, err := os.ReadFile(filepath.Join(dir, "truth.json"))
	if err != nil || json.Unmarshal(data, &truth) != nil {
		t.Fatal(err)
	}
	a := answer(t, "", "gait", dir)
	if a["schema"] != "trevik.gait/v1" || a["view"] != "rear" || a["frames"] != 240.0 {
		t.Errorf("the answer is %v %v %v", a["schema"], a["view"], a["frames"])
	}
	for side, s := range a["sides"].(map[string]any) {
		peak := s.(map[string]any)["peak_eversion_deg"].(map[string]any)["mean"].(float64)
		if math.Abs(peak-truth.Sides[side].Peak) > 0.6 {
			t.Errorf("%s: peak %g, truly %g", side, peak, truth.Sides[side].Peak)
		}
	}
	again := filepath.Join(t.TempDir(), "film")
	call("", append(args, again)...)
	for _, name := range []string{"truth.json", "recording.json", "0017.jpg"} {
		x, _ := os.ReadFile(filepath.Join(dir, name))
		y, _ := os.ReadFile(filepath.Join(again, name))
		if len(x) == 0 || !bytes.Equal(x, y) {
			t.Errorf("%s differs for the same seed", name)
		}
	}
	for _, bad := range [][]string{{"gait", filepath.Join(dir, "none")}, {"gait", filepath.Join(dir, "truth.json")},
		{"simulate", "treadmill"}, {"simulate", "treadmill", "--out", again, "--view", "top"}, {"simulate", "treadmill", "--out", again, "--fps",
			"9"}} {
		if code, out, errs := call("", bad...); code != 2 || out != "" || errs == "" {
			t.Errorf("%v: exit %d, %q, %q", bad, code, out, errs)
		}
	}
}

// The level of a film without dots is set by hand on each leg's mean picture: the points as read change nothing but the
// error, others turn the level towards them.
func TestLevelByHand(t *testing.T) {
	dir, means := filepath.Join(t.TempDir(), "film"), filepath.Join(t.TempDir(), "means")
	if code, _, errs := call("", "simulate", "treadmill", "--bare", "--seed", "901", "--seconds", "2.2", "--width", "512", "--height", "384",
		"--out", dir); code != 0 {
		t.Fatalf("simulate: %d %s", code, errs)
	}
	left := func(a map[string]any) (peak, sd float64) {
		s := a["sides"].(map[string]any)["left"].(map[string]any)
		return s["peak_eversion_deg"].(map[string]any)["mean"].(float64), s["level_sd_deg"].(float64)
	}
	asRead, wide := left(answer(t, "", "gait", dir, "--means", means))
	for _, name := range []string{"left.png", "right.png"} {
		f, err := os.Open(filepath.Join(means, name))
		if err != nil {
			t.Fatal(err)
		}
		if _, err := png.Decode(f); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		f.Close()
	}
	var level struct {
		Schema      string        `json:"schema"`
		Left, Right [4][2]float64 `json:",omitempty"`
	}
	data, err := os.ReadFile(filepath.Join(means, "level.json"))
	if err != nil || json.Unmarshal(data, &level) != nil || level.Schema != "trevik.level/v1" {
		t.Fatalf("level.json: %v in %s", err, data)
	}
	same := answer(t, string(data), "gait", dir, "--level", "-")
	if peak, sd := left(same); math.Abs(peak-asRead) > 0.1 || sd >= wide || same["calibrated"] != true {
		t.Errorf("the points as read make the peak %g from %g, to %g from %g, calibrated %v", peak, asRead, sd, wide, same["calibrated"])
	}
	// The heel's upper end further out is the heel rolled in less on the left.
	turned, _ := json.Marshal(map[string]any{"schema": level.Schema, "left": [4][2]float64{level.Left[0], level.Left[1],
		{level.Left[2][0] - 3, level.Left[2][1]}, level.Left[3]}})
	if peak, _ := left(answer(t, string(turned), "gait", dir, "--level", "-")); peak > asRead-1 {
		t.Errorf("turned out by hand the peak is %g, as read %g", peak, asRead)
	}
	for _, bad := range []string{`{"schema":"trevik.level/v1"}`, `{"schema":"trevik.level/v2","left":[[1,1],[1,9],[1,1],[1,9]]}`,
		`{"schema":"trevik.level/v1","left":[[1,1],[1,9],[1,11]]}`, `{"schema":"trevik.level/v1","left":[[1,1],[1,9],[1,10],[1,19],[1,20]]}`,
		`{"schema":"trevik.level/v1","left":[[1,1],[1,9],[1,10],[1,19,3]]}`, `{"schema":"trevik.level/v1","left":[[1,9],[1,1],[1,1],[1,9]]}`,
		`{"schema":"trevik.level/v1","left":[[1,1],[1,9],[1,1],["x",9]]}`, `{`} {
		if code, out, errs := call(bad, "gait", dir, "--level", "-"); code != AtFault || out != "" || errs == "" {
			t.Errorf("%s: exit %d, %q, %q", bad, code, out, errs)
		}
	}
}

// A shop's own house values move the calculators that go by them, and a file that is
// wrong names the value.
func TestHouseFile(t *testing.T) {
	file := filepath.Join(t.TempDir(), "house.json")
	write := func(text string) {
		t.Helper()
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write(`{"schema":"trevik.house/v1","values":{"feet.ball_share":0.75,"wear.fixed_km":700,"life.daily":1240}}`)
	v := answer(t, "", "size", "--foot-mm", "262.5", "--heel-to-ball-mm", "199", "--chart", "men", "--house", file)
	if math.Abs(v["sizing_mm"].(float64)-265.3) > 0.06 {
		t.Errorf("sizing by %v", v["sizing_mm"])
	}
	pair := `{"schema":"trevik.pair/v1","class":"daily","today":"2026-11-24","runs":[{"date":"2026-06-02","km":100,"ground":"road",
	"kind":"easy"}]}`
	shipped, own := answer(t, pair, "wear", "-"), answer(t, pair, "wear", "-", "--house", file)
	half := func(v map[string]any) float64 { return v["life_km"].(map[string]any)["p50"].(float64) }
	if math.Abs(half(own)-2*half(shipped)) > 0.01 {
		t.Errorf("lives of %g and %g", half(shipped), half(own))
	}
	if left := own["schools"].(map[string]any)["by_distance"].(map[string]any)["left_km"]; left != 600.0 {
		t.Errorf("by distance %v km are left", left)
	}
	write(`{"schema":"trevik.house/v1","values":{"feet.ball_share":7}}`)
	if code, out, errOut := call("", "size", "--foot-mm", "262.5", "--chart", "men", "--house", file); code != AtFault || out != "" ||
		!strings.Contains(errOut, "house.values.feet.ball_share: is 7; allowed is 0.6 to 0.8") {
		t.Errorf("%d %q %q", code, out, errOut)
	}
	if code, _, errOut := call("", "size", "--foot-mm", "262.5", "--chart", "men", "--house", file+".not"); code != AtFault ||
		!strings.Contains(errOut, "house.file: cannot be opened") {
		t.Errorf("%d %q", code, errOut)
	}
}

func TestTryonContract(t *testing.T) {
	v := answer(t, `{"schema":"trevik.tryon/v1","pairs":["a","b","c"],"wins":[{"winner":"a","loser":"b"},{"even":["a","c"]}],"seed":1}`,
		"tryon", "-")
	if v["schema"] != "trevik.tryon-answer/v1" || len(v["ranked"].([]any)) != 3 || len(v["next"].([]any)) != 2 {
		t.Errorf("%v", v)
	}
	first := v["ranked"].([]any)[0].(map[string]any)
	if first["pair"] != "a" || first["log_strength"].(float64) <= 0 || first["sd"].(float64) <= 0 ||
		v["p_best"].(map[string]any)["a"].(float64) < 0.4 {
		t.Errorf("%v", v)
	}
	if _, ok := v["stop"].(bool); !ok {
		t.Errorf("%v", v)
	}
	if code, out, errOut := call(`{"pairs":["a","b"],"wins":[{"winner":"a","loser":"z"}]}`, "tryon", "-", "--json"); code != AtFault ||
		out != "" || !strings.Contains(errOut, "wins[0].loser") {
		t.Errorf("%d %q %q", code, out, errOut)
	}
	if code, out, _ := call(`{"pairs":["a","b"],"wins":[{"winner":"a","loser":"b"}]}`, "tryon", "-"); code != Answered ||
		!strings.Contains(out, "Next: a against b") {
		t.Errorf("%d %q", code, out)
	}
}

func TestRotateContract(t *testing.T) {
	week := `{"schema":"trevik.week/v1","budget":32000,"currency":"EUR","max_pairs":3,"min_suit":0.5,"rest_hours":24,
"parts":[{"id":"tue-reps","run":"tue","day":"tue","start":"18:30","minutes":40,"km":6,"kind":"intervals","ground":"track"},
{"id":"sun-long","run":"sun","day":"sun","start":"09:00","km":18,"kind":"long","ground":"road"}],
"pairs":[{"id":"a","owned":true,"price":0,"rest_hours":24,"max_run_km":null,"life_km":300,"suitability":[{"kind":"long","ground":"road",
"value":0.9}]},{"id":"b","owned":false,"price":14000,"suitability":[{"kind":"intervals","ground":"track","value":0.8}]}]}`
	v := answer(t, week, "rotate", "-")
	for field, want := range map[string]any{"schema": "trevik.rotation/v1", "status": "optimal", "covered_km": 24.0, "suit_km": 21.0,
		"spent": 14000.0} {
		if v[field] != want {
			t.Errorf("%s: %v, want %v", field, v[field], want)
		}
	}
	if v["assign"].(map[string]any)["tue-reps"] != "b" || len(v["buy"].([]any)) != 1 || len(v["use"].([]any)) != 2 ||
		len(v["uncovered"].([]any)) != 0 || len(v["curve"].([]any)) != 6 {
		t.Errorf("%v", v)
	}
	pair := v["pairs"].([]any)[0].(map[string]any)
	if pair["id"] != "a" || pair["weekly_km"] != 18.0 || pair["weeks_left"] != 16.67 || pair["min_rest_hours"] != nil {
		t.Errorf("%v", pair)
	}
	if code, out, errOut := call(strings.Replace(week, "18:30", "25:00", 1), "rotate", "-", "--json"); code != AtFault || out != "" ||
		!strings.Contains(errOut, "parts[0].start") {
		t.Errorf("%d %q %q", code, out, errOut)
	}
	mistyped := strings.Replace(week, `"id":`, `"barred":["nobody"],"id":`, 1)
	if code, _, errOut := call(mistyped, "rotate", "-", "--json"); code != AtFault || !strings.Contains(errOut, "parts[0].barred") {
		t.Errorf("%d %q", code, errOut)
	}
	if code, out, _ := call(week, "rotate", "-"); code != Answered || !strings.Contains(out, "Every run is covered") ||
		!strings.Contains(out, "buy b") {
		t.Errorf("%d %q", code, out)
	}
}

// The watch writes what it has as files, the same for a seed, and a runner hangs together:
// what the films show is what the feet would have one expect.
func TestWatchAndRunner(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"a", "b"} {
		if code, _, errs := call("", "simulate", "watch", "--out", filepath.Join(dir, name), "--seed", "4", "--weeks", "2"); code != Answered {
			t.Fatal(errs)
		}
	}
	var truth struct {
		Runs []struct {
			File string  `json:"file"`
			KM   float64 `json:"km"`
		} `json:"runs"`
	}
	data, err := os.ReadFile(filepath.Join(dir, "a", "truth.json"))
	if err != nil || json.Unmarshal(data, &truth) != nil || len(truth.Runs) < 4 {
		t.Fatalf("%v %s", err, data)
	}
	for _, run := range truth.Runs {
		one, _ := os.ReadFile(filepath.Join(dir, "a", run.File))
		two, _ := os.ReadFile(filepath.Join(dir, "b", run.File))
		if len(one) == 0 || !bytes.Equal(one, two) {
			t.Errorf("%s does not repeat", run.File)
		}
	}
	table, _ := os.ReadFile(filepath.Join(dir, "a", "runs.csv"))
	if lines := strings.Count(string(table), "\n"); lines != len(truth.Runs)+1 {
		t.Errorf("%d lines for %d runs", lines, len(truth.Runs))
	}
	for _, bad := range [][]string{{"--weeks", "0"}, {"--weeks", "900"}, {"--every", "0.2"}, {"--error", "99"}, {"--until", "someday"},
		{"--days", "8"}, {"--weekly-km", "1"}} {
		if code, out, errs := call("", append([]string{"simulate", "watch", "--out", filepath.Join(dir, "c")}, bad...)...); code != 2 ||
			out != "" || !strings.Contains(errs, strings.TrimPrefix(bad[0], "--")) {
			t.Errorf("%v: exit %d, %q, %q", bad, code, out, errs)
		}
	}
	runner := filepath.Join(dir, "runner")
	if code, _, errs := call("", "simulate", "runner", "--out", runner, "--seed", "6", "--seconds", "3"); code != Answered {
		t.Fatal(errs)
	}
	var x struct {
		Peak map[string]float64 `json:"peak_eversion_deg"`
	}
	data, err = os.ReadFile(filepath.Join(runner, "truth.json"))
	if err != nil || json.Unmarshal(data, &x) != nil {
		t.Fatal(err)
	}
	rear := answer(t, "", "gait", filepath.Join(runner, "rear"))
	for side, s := range rear["sides"].(map[string]any) {
		if peak := s.(map[string]any)["peak_eversion_deg"].(map[string]any)["mean"].(float64); math.Abs(peak-x.Peak[side]) > 1.5 {
			t.Errorf("%s: the film shows %g, the runner has %g", side, peak, x.Peak[side])
		}
	}
	if left := answer(t, "", "footprint", filepath.Join(runner, "scanner", "left.png")); left["foot"] != "left" {
		t.Errorf("the left print is %v", left["foot"])
	}
	for _, name := range []string{"runner.json", "side/recording.json", "watch/runs.csv"} {
		if _, err := os.Stat(filepath.Join(runner, name)); err != nil {
			t.Error(err)
		}
	}
}

// Changing over by the command, with the fields that others rely on, and its bad input.
func TestTransition(t *testing.T) {
	const in = `{"schema":"trevik.change/v1","from":{"drop_mm":10,"stack_mm":34,"bareness":9},"to":{"drop_mm":4,"stack_mm":34,
	"bareness":9},"weekly_km":30,"goal_share":1.0,"start":"2026-12-01","reports":[{"week":1,"soreness":3,"place":"shin","night":false}],
	"complaints":[]}`
	a := answer(t, in, "transition", "-")
	for _, field := range []string{"schema", "needed", "size", "walking_first", "weeks", "ends", "stopped", "refused", "warnings"} {
		if _, ok := a[field]; !ok {
			t.Errorf("%s is missing", field)
		}
	}
	weeks := a["weeks"].([]any)
	second := weeks[1].(map[string]any)
	if a["schema"] != "trevik.transition/v1" || a["size"] != 1.5 || a["needed"] != true || len(weeks) != 7 || second["step"] != 1.0 ||
		second["repeat"] != true || second["starts"] != "2026-12-08" || second["km_new"] != 3.0 || second["km_old"] != 27.0 ||
		a["refused"] != nil {
		t.Errorf("%v", a)
	}
	hurt := answer(t, strings.Replace(in, `"complaints":[]`, `"complaints":[{"place":"achilles","months_ago":3}]`, 1), "transition", "-")
	if hurt["refused"] == nil || len(hurt["weeks"].([]any)) != 0 || hurt["ends"] != nil {
		t.Errorf("%v", hurt)
	}
	for bad, field := range map[string]string{`"weekly_km":30`: "weekly_km", `"soreness":3`: "reports[0].soreness",
		`"drop_mm":4`: "to.drop_mm"} {
		name, _, _ := strings.Cut(bad, ":")
		if code, out, errs := call(strings.Replace(in, bad, name+":-99", 1), "transition", "-", "--json"); code != AtFault || out != "" ||
			!strings.HasPrefix(errs, field) {
			t.Errorf("%s: %d %q %q", bad, code, out, errs)
		}
	}
	if code, _, errs := call(strings.Replace(in, "weekly_km", "monthly_km", 1), "transition", "-", "--json"); code != AtFault ||
		!strings.Contains(errs, "monthly_km") {
		t.Errorf("an unknown field: %d %q", code, errs)
	}
	if code, out, _ := call(in, "transition", "-"); code != Answered || !strings.Contains(out, "1 again") {
		t.Errorf("%d %q", code, out)
	}
}
