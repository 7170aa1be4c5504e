package own

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/runlog"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/web/kit"
	"trevik/internal/web/stations/distance"
)

func (o *Own) addRun(c *visitor) (url.Values, string, error) {
	sent, v, err := kit.Decode(c.Req, runlog.RunFields)
	if err == nil {
		_, err = o.App.Runs.Add(c.Ctx(), c.Who, c.runner, runlog.Typed{PairID: uint64(v["pair"].Number), On: v["on"].Text, Start: v["start"].Text,
			KM: v["km"].Ptr(), Ground: term.Ground(v["ground"].Text), Kind: term.Kind(v["kind"].Text), Wet: !v["wet"].Empty,
			TempC: v["temp_c"].Ptr()})
	}
	return sent, "run&in=" + url.QueryEscape(sent.Get("pair")), err
}

// undoable is a note with the run that can be brought back.
func undoable(note string, run uint64) string { return note + "&undo=" + strconv.FormatUint(run, 10) }

// mend puts a run right.
func (o *Own) mend(c *visitor) (url.Values, string, error) {
	sent, id, err := distance.Mend(c.Req, o.App.Runs, c.runner)
	return sent, undoable("mended", id), err
}

// ofRun is a form that holds nothing, of the run in its address.
func ofRun(c *visitor, do func(run uint64) error) (uint64, url.Values, error) {
	id, err := kit.RowID(c.Req, "run")
	if err != nil {
		return 0, nil, err
	}
	sent, err := kit.Form(c.Req, kit.Known())
	if err == nil {
		err = do(id)
	}
	return id, sent, err
}

func (o *Own) deleteRun(c *visitor) (url.Values, string, error) {
	id, sent, err := ofRun(c, func(run uint64) error { return o.App.Runs.Withdraw(c.Ctx(), c.Who, c.runner, run) })
	return sent, undoable("deleted", id), err
}

func (o *Own) undoRun(c *visitor) (url.Values, string, error) {
	_, sent, err := ofRun(c, func(run uint64) error { return o.App.Runs.Restore(c.Ctx(), c.Who, c.runner, run) })
	return sent, "undone", err
}

// apart says that a run is another than the one it looks like.
func (o *Own) apart(c *visitor) (url.Values, string, error) {
	_, sent, err := ofRun(c, func(run uint64) error { return o.App.Runs.SayApart(c.Ctx(), c.Who, c.runner, run) })
	return sent, "two", err
}

// move gives runs without a pair one.
func (o *Own) move(c *visitor) (url.Values, string, error) {
	sent, err := kit.Form(c.Req, kit.Known("ids", "to_pair"))
	if err != nil {
		return sent, "", err
	}
	pair, err := strconv.ParseUint(sent.Get("to_pair"), 10, 63)
	if err != nil {
		return sent, "", app.ErrNotFound
	}
	var ids []uint64
	for _, x := range strings.Split(sent.Get("ids"), ",") {
		id, err := strconv.ParseUint(x, 10, 63)
		if err != nil {
			return sent, "", app.ErrNotFound
		}
		ids = append(ids, id)
	}
	return sent, "moved", o.App.Runs.Move(c.Ctx(), c.Who, c.runner, ids, pair)
}

// mostSent is how much a runner may send at once, bytes: three long runs are far less.
const mostSent = 24 << 20

// mostFiles is how many files they may send at once.
const mostFiles = 3

// sendFile takes the runner's GPX files and puts them in at once: what is there already is
// left out, and nothing is put in where a file is at fault.
func (o *Own) sendFile(c *visitor) (url.Values, string, error) {
	if err := c.Hold(mostSent); err != nil {
		return nil, "", err
	}
	sending, err := kit.Upload(c.Req, "runs_file", mostSent)
	if err != nil {
		return nil, "", err
	}
	var files []runlog.NamedFile
	digest := sha256.New()
	for next := distance.Files(sending); ; {
		name, in, err := next()
		if err == io.EOF {
			break
		}
		if err == nil && len(files) >= mostFiles {
			err = fault.List{{Field: "runs_file", Text: fmt.Sprintf("are more than %d files; send up to %d at a time", mostFiles, mostFiles)}}
		}
		var data []byte
		if err == nil {
			data, err = io.ReadAll(in) // held: the whole form is
		}
		if err != nil {
			return nil, "", err
		}
		fmt.Fprintf(digest, "%q %d ", name, len(data))
		digest.Write(data)
		files = append(files, runlog.NamedFile{Name: name, Data: data})
	}
	if err := c.Ticket([32]byte(digest.Sum(nil))); err != nil {
		return nil, "", err
	}
	if len(files) == 0 {
		return nil, "", fault.List{{Field: "runs_file", Text: "is missing; choose GPX files"}}
	}
	n, err := o.App.Runs.PutFiles(c.Ctx(), c.Who, c.runner, files)
	if n == 0 {
		return nil, "there", err
	}
	return nil, "file", err
}

// share takes files that another program of the phone shares with the page once it is installed. No page
// was shown before, so that there is no token: what is there already is known by its content.
func (o *Own) share(c *visitor) (url.Values, string, error) { return o.sendFile(c) }

// offline is the page that a phone keeps for when there is no connection: to log a run on, and nothing else.
func (o *Own) offline(c *visitor) error {
	r, err := o.App.Visits.Runner(c.Ctx(), c.Who, c.runner)
	if err != nil {
		return err
	}
	v := view{Page: o.NewPage(c.Req, "Your shoes"), Runner: r, URL: "/r/" + c.Param("secret"), On: o.App.Today(c.Who).Format(time.DateOnly),
		Units: c.Who.Units, Own: kit.Controls(runlog.RunFields, c.Who.Units, nil, nil), Options: pairOptions(r)}
	return o.Render(c.Req, http.StatusOK, pages, "offline", v)
}

// manifest lets a phone install the page, and share files with it.
func (o *Own) manifest(c *kit.Req) error {
	if _, err := o.visitor(c); err != nil {
		return err
	}
	at := "/r/" + c.Param("secret")
	text, err := json.Marshal(map[string]any{"name": "Your shoes", "short_name": "Shoes", "start_url": at, "scope": at, "id": at,
		"display": "standalone", "background_color": "#f3efe4", "theme_color": "#f3efe4",
		"icons": []map[string]string{
			{"src": "/assets/" + o.Assets + "/icon-192.png", "sizes": "192x192", "type": "image/png"},
			{"src": "/assets/" + o.Assets + "/icon-512.png", "sizes": "512x512", "type": "image/png"},
			{"src": "/assets/" + o.Assets + "/icon-512.png", "sizes": "512x512", "type": "image/png", "purpose": "maskable"},
			{"src": "/assets/" + o.Assets + "/mark.svg", "sizes": "any", "type": "image/svg+xml"}},
		"share_target": map[string]any{"action": at + "/share", "method": "POST", "enctype": "multipart/form-data",
			"params": map[string]any{"files": []map[string]any{{"name": "runs_file",
				"accept": []string{".gpx", "application/gpx+xml", "application/xml", "text/xml", "application/octet-stream"}}}}}})
	if err != nil {
		return err
	}
	return c.Data(http.StatusOK, "application/manifest+json", text)
}
