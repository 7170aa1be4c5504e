package gpx

import (
	"bytes"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/fault"
)

const head = `<?xml version="1.0" encoding="UTF-8"?>
<gpx xmlns="http://www.topografix.com/GPX/1/1" version="1.1" creator="x">`

func point(i int, extra string) string {
	return fmt.Sprintf(`<trkpt lat="60.%04d" lon="5.5"><ele>12.5</ele><time>2026-11-01T08:00:%02dZ</time>%s</trkpt>`, i, i, extra)
}

func whole(body string) string { return head + "<trk><trkseg>" + body + "</trkseg></trk></gpx>" }

func TestDecode(t *testing.T) {
	got, err := Decode(strings.NewReader(head +
		`<metadata><time>2026-11-01T07:00:00Z</time></metadata><trk><name> Moor &amp; back </name><type>trail_running</type><trkseg>` +
		point(1, `<extensions><hr xmlns="http://other/v1">150</hr><trkpt xmlns="http://other/v1" lat="1" lon="2"/></extensions>`) + point(2, "") +
		`</trkseg><trkseg></trkseg><trkseg>` + point(9, "") + `<trkpt lat="60" lon="5"/></trkseg></trk><trk><type>Cycling</type><trkseg>` +
		point(3, "") + `</trkseg></trk><trk/></gpx>`))
	if err != nil || len(got) != 2 {
		t.Fatal(got, err)
	}
	a := got[0]
	if a.Name != "Moor & back" || !a.OnFoot() || len(a.Segments) != 2 || len(a.Segments[0]) != 2 || a.Untimed != 1 ||
		*a.Segments[0][0].Ele != 12.5 || !a.Start().Equal(time.Date(2026, 11, 1, 8, 0, 1, 0, time.UTC)) {
		t.Errorf("%+v", a)
	}
	if p := a.Points(); len(p) != 3 || p[2].T != 8 {
		t.Errorf("%+v", p)
	}
	if got[1].OnFoot() {
		t.Error("cycling is taken for a run")
	}
	for _, on := range []string{"", "9", "Running", "Trail Run", "hiking"} {
		if !(&Track{Kind: on}).OnFoot() {
			t.Errorf("%q is no run", on)
		}
	}
	for name, ok := range map[string]string{
		"1.0":          strings.Replace(whole(point(1, "")), "GPX/1/1", "GPX/1/0", 1),
		"no namespace": strings.Replace(whole(point(1, "")), ` xmlns="http://www.topografix.com/GPX/1/1"`, "", 1),
		"a prefix": `<g:gpx xmlns:g="http://www.topografix.com/GPX/1/1"><g:trk><g:trkseg><g:trkpt lat="1" lon="2">` +
			`<g:time>2026-11-01T08:00:00+01:00</g:time></g:trkpt></g:trkseg></g:trk></g:gpx>`,
		"a BOM": "\ufeff" + whole(point(1, "")),
		"latin": strings.Replace(strings.Replace(whole(point(1, "")), "UTF-8", "ISO-8859-1", 1), "<trk>", "<trk><name>B\xf8</name>", 1),
	} {
		got, err := Decode(strings.NewReader(ok))
		if err != nil || len(got) != 1 {
			t.Errorf("%s: %v", name, err)
		} else if name == "latin" && got[0].Name != "Bø" {
			t.Errorf("latin: %q", got[0].Name)
		}
	}
}

func TestDecodeRefuses(t *testing.T) {
	deep := strings.Repeat("<a>", 60)
	for name, c := range map[string]struct{ file, field, text string }{
		"an entity bomb": {`<?xml version="1.0"?>` + "\n" + `<!DOCTYPE gpx [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>` +
			whole("&b;")[len(`<?xml version="1.0" encoding="UTF-8"?>`):], "line 2", "document type"},
		"an entity alone":  {whole(point(1, "&lol;")), "line 2", "is no GPX"},
		"NaN":              {whole("\n" + strings.Replace(point(1, ""), "60.0001", "NaN", 1)), "line 3", `the lat "NaN"`},
		"off the earth":    {whole(strings.Replace(point(1, ""), "5.5", "200", 1)), "line 2", "up to 180"},
		"no place":         {whole(`<trkpt lon="1"/>`), "line 2", "without lat and lon"},
		"infinite height":  {whole(strings.Replace(point(1, ""), "12.5", "Inf", 1)), "line 2", "the height"},
		"reversed time":    {whole(point(9, "") + "\n\n" + point(1, "")), "line 4", "runs backward"},
		"a wrong time":     {whole(strings.Replace(point(1, ""), "2026", "yesterday", 1)), "line 2", "the time"},
		"a year long gone": {whole(strings.Replace(point(1, ""), "2026", "0001", 1)), "line 2", "the time"},
		"no time":          {whole(`<trkpt lat="1" lon="2"/>`), "file", "no time at its places"},
		"no track":         {head + `<wpt lat="1" lon="2"/></gpx>`, "file", "no track"},
		"another format":   {`<kml xmlns="http://x"/>`, "line 1", `begins with "kml"`},
		"another space":    {`<gpx xmlns="http://example/x"/>`, "line 1", "namespace"},
		"cut short":        {whole(point(1, ""))[:200], "line 2", "is no GPX"},
		"nothing":          {"", "line 1", "ends early"},
		"a picture":        {"\x89PNG\r\n\x1a\n\x00\x00", "line 3", "is no GPX"},
		"nested":           {head + deep, "line 2", "nested"},
		"UTF-16 declared":  {strings.Replace(whole(point(1, "")), "UTF-8", "UTF-16", 1), "line 1", "encoding"},
	} {
		_, err := Decode(strings.NewReader(c.file))
		l, ok := fault.As(err)
		if !ok || len(l) != 1 || l[0].Field != c.field || !strings.Contains(l[0].Text, c.text) {
			t.Errorf("%s: %v", name, err)
		}
	}
	// More than may be is refused without being read whole.
	n := 0
	endless := readerFunc(func(p []byte) (int, error) {
		if n == 0 {
			n++
			return copy(p, head), nil
		}
		n += len(p)
		return copy(p, bytes.Repeat([]byte(" "), len(p))), nil
	})
	if _, err := Decode(endless); err == nil || !strings.Contains(err.Error(), "larger than") || n > MaxBytes+1<<20 {
		t.Errorf("a gigabyte: %v after %d bytes", err, n)
	}
}

type readerFunc func([]byte) (int, error)

func (f readerFunc) Read(p []byte) (int, error) { return f(p) }

// What is written is read back the same, to a centimetre and a second.
func TestEncode(t *testing.T) {
	ele := 101.25
	in := []Track{{Name: "a < b & c", Kind: "running", Segments: [][]Point{{{60.1234567, -5.7654321, &ele,
		time.Date(2026, 1, 2, 3, 4, 5, 0, time.UTC)}, {60.2, -5.8, nil, time.Date(2026, 1, 2, 3, 4, 6, 0, time.UTC)}}}}}
	var b bytes.Buffer
	if err := Encode(&b, "Trevik", in); err != nil {
		t.Fatal(err)
	}
	out, err := Decode(&b)
	if err != nil || len(out) != 1 || out[0].Name != in[0].Name || math.Abs(out[0].Segments[0][0].Lat-60.1234567) > 1e-7 ||
		*out[0].Segments[0][0].Ele != 101.3 && *out[0].Segments[0][0].Ele != 101.2 || out[0].Segments[0][1].Ele != nil {
		t.Errorf("%+v %v", out, err)
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(whole(point(1, "") + point(2, ""))))
	f.Add([]byte(head + "<!DOCTYPE x []>"))
	f.Add([]byte("<gpx><trk><trkseg><trkpt lat='1' lon='1e400'><time>2026-01-01T00:00:00</time></trkpt></trkseg></trk></gpx>"))
	f.Fuzz(func(t *testing.T, data []byte) {
		got, err := Decode(bytes.NewReader(data))
		if err != nil {
			if l, ok := fault.As(err); !ok || len(l) == 0 {
				t.Fatalf("%v is no fault", err)
			}
			return
		}
		if len(got) == 0 {
			t.Fatal("neither tracks nor a fault")
		}
		// What is taken can be written and read again.
		if err := Encode(io.Discard, "x", got); err != nil {
			t.Fatal(err)
		}
	})
}
