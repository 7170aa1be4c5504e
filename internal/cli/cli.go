// Package cli is the trevik command: the calculators, which read a file and
// print an answer, and the commands that run the application.
//
// Exit status: 0 answered, 2 the input is at fault (a line a fault on standard
// error), 1 Trevik itself failed.
package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/strict"
)

// Exit statuses.
const (
	Answered = 0
	Failed   = 1
	AtFault  = 2
)

// usageError is a call whose words are off.
type usageError struct{ error }

type tool struct {
	in       io.Reader
	out, err io.Writer
	json     bool
	house    *house.Values // of --house; nil is as shipped
}

// Run executes the command and gives its exit status.
func Run(args []string, in io.Reader, out, errOut io.Writer) int {
	t := &tool{in: in, out: out, err: errOut}
	root := &cobra.Command{
		Use: "trevik", Short: "The running shoe fitter's bench: feet, support, shoes, distance",
		SilenceErrors: true, SilenceUsage: true, DisableSuggestions: true,
		CompletionOptions: cobra.CompletionOptions{HiddenDefaultCmd: true},
	}
	root.SetArgs(args)
	root.SetOut(out)
	root.SetErr(errOut)
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	root.AddCommand(t.sizeCmd(), t.supportCmd(), t.matchCmd(), t.tryonCmd(), t.rotateCmd(), t.seasonCmd(), t.learnLifeCmd(),
		t.learnLikingCmd(), t.wearCmd(), t.transitionCmd(), t.footprintCmd(), t.outlineCmd(),
		t.gaitCmd(), t.sheetCmd(), t.simulateCmd(), t.versionCmd(), t.serveCmd(), t.demoCmd(), t.clusterCmd(), t.doctorCmd(),
		t.migrateCmd(), t.userCmd(), t.checkCmd(), t.exportCmd(), t.importCmd(), t.backupCmd(), t.restoreCmd(), t.retentionCmd(), t.keyCmd(),
		t.practiceCmd())
	err := root.Execute()
	var faults fault.List
	var usage usageError
	switch {
	case err == nil:
		return Answered
	case errors.As(err, &faults):
		fmt.Fprintln(errOut, faults.Error())
		return AtFault
	case errors.As(err, &usage), strings.HasPrefix(err.Error(), "unknown command"), strings.Contains(err.Error(), "arg(s)"),
		strings.HasPrefix(err.Error(), "required flag"):
		fmt.Fprintln(errOut, err)
		return AtFault
	}
	fmt.Fprintln(errOut, "trevik:", err)
	return Failed
}

// maxInput is the largest input that a calculator reads, in bytes.
const maxInput = 64 << 20

// read decodes the input file, or standard input for "-".
func (t *tool) read(name string, into any) error {
	data, err := t.bytes(name, "input", maxInput)
	if err != nil {
		return err
	}
	return strict.Decode(data, into)
}

// bytes reads a file of at most so many bytes, or standard input for "-"; its faults
// stand at field.
func (t *tool) bytes(name, field string, most int64) ([]byte, error) {
	r := t.in
	if name != "-" {
		f, err := os.Open(name)
		if err != nil {
			return nil, fault.List{{Field: field, Text: "cannot be opened: " + err.Error()}}
		}
		defer f.Close()
		r = f
	}
	data, err := io.ReadAll(io.LimitReader(r, most+1))
	if err != nil {
		return nil, fault.List{{Field: field, Text: "cannot be read: " + err.Error()}}
	}
	if int64(len(data)) > most {
		return nil, fault.List{{Field: field, Text: fmt.Sprintf("is larger than %d MiB", most>>20)}}
	}
	return data, nil
}

// answer prints an answer as JSON, or as a person's table.
func (t *tool) answer(v any, table func(io.Writer)) error {
	if !t.json {
		table(t.out)
		return nil
	}
	data, err := json.Marshal(v)
	if err != nil {
		return err
	}
	_, err = t.out.Write(append(data, '\n'))
	return err
}

func (t *tool) asJSON(c *cobra.Command) *cobra.Command {
	c.Flags().BoolVar(&t.json, "json", false, "print the answer as one JSON object")
	return c
}

// byHouse lets a calculator go by a shop's house values in a file.
func (t *tool) byHouse(c *cobra.Command) *cobra.Command {
	name := c.Flags().String("house", "", "a file of the shop's house values (Shop page); the shipped ones without it")
	c.PreRunE = func(*cobra.Command, []string) error {
		if *name == "" {
			return nil
		}
		data, err := t.bytes(*name, "file", 1<<20)
		if err == nil {
			t.house, err = house.Read(data)
		}
		if faults, ok := fault.As(err); ok {
			for i := range faults {
				faults[i].Field = "house." + faults[i].Field
			}
			return faults
		}
		return err
	}
	return c
}

func (t *tool) versionCmd() *cobra.Command {
	return &cobra.Command{Use: "version", Short: "Print the version", Args: cobra.NoArgs, RunE: func(*cobra.Command, []string) error {
		_, err := fmt.Fprintln(t.out, "trevik", Version())
		return err
	}}
}

// Version is the module's version, with the commit where the build knows it.
func Version() string {
	v := "0.1"
	if info, ok := debug.ReadBuildInfo(); ok {
		for _, s := range info.Settings {
			if s.Key == "vcs.revision" && len(s.Value) >= 12 {
				v += "+" + s.Value[:12]
			}
		}
	}
	return v
}
