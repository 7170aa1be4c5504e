package web_test

import (
	"go/ast"
	"go/parser"
	gotoken "go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

// riddles are words that nobody understood at once, or that have a name in the trade: none of them may
// return to a page, a card, a calendar or a command's answer.
var riddles = regexp.MustCompile(strings.Join([]string{
	`\bAnkles give\b`, `hurts or hurt\b`, `More training lately`, `"What for"`, `sketched as`, `Steady to bouncy`, `take it back and delete`,
	`Size believed`, `[Bb]elieved to be`, `Walls beside the heel`, `pressed, inner against outer`, `[Rr]olling in\b`, `\brolls in\b`,
	`arch speaks`,
	`signs? goe?s? with it`, `a finger wants`, `\bleast for\b`, `an expected km`, `cheap answer`, `Its marks`, `What weighs how much`,
	`, broken<`, `"In a word"`, `Why it was left`, `Put it in<`, `for this week, proven`, `without it\?`, `a second one\?`,
	`Times how well`, `Pairs that are\b`, `on the board`, `Left open by`, `[Pp]ut (a run |it )?down\b`, `by the rules`, `even chance`,
	`1 in 10\b`, `9 in 10\b`, `\beffective (km|kilometres)`, `[Ss]et(ting)? (it )?aside\b`, `Keep this look`, `Bounce gone`, `Tread gone`,
	`Worn to one side`, `Slow it down`, `Sort the cupboard`, `take (it )?away\b`, `Read it so`, `Let the file go`, `off the way`,
	`should see the race`, `day asks for`, `under my feet`, `puts them right`, `[Ll]ook at this pair`, `\bminor units\b`, `take that back`,
	`\btheirs\{\{`, `Choose it so`, `Save it so`, `Rank anew`,
}, "|"))

// spoken are places whose words only a programmer reads.
var unseen = regexp.MustCompile(`^(internal/(store|device|jobs)/|internal/core/(house/doc|limits)|.*_test\.go$)`)

// TestNoRiddles reads every template and every text of the code.
func TestNoRiddles(t *testing.T) {
	root := filepath.Join("..", "..")
	check := func(where, text string) {
		for _, found := range riddles.FindAllString(strings.Join(strings.Fields(text), " "), -1) {
			t.Errorf("%s says %q", where, found)
		}
	}
	seen := 0
	err := filepath.WalkDir(filepath.Join(root, "internal"), func(path string, d fs.DirEntry, err error) error {
		name, _ := filepath.Rel(root, path)
		switch {
		case err != nil:
			return err
		case d.IsDir() && d.Name() == "testdata":
			return fs.SkipDir
		case unseen.MatchString(filepath.ToSlash(name)):
			return nil
		case strings.HasSuffix(path, ".html"):
			text, err := os.ReadFile(path)
			seen++
			check(name, string(text))
			return err
		case strings.HasSuffix(path, ".go"):
			seen++
			files := gotoken.NewFileSet()
			f, err := parser.ParseFile(files, path, nil, 0)
			if err != nil {
				return err
			}
			ast.Inspect(f, func(n ast.Node) bool {
				if x, ok := n.(*ast.BasicLit); ok && x.Kind == gotoken.STRING {
					text, _ := strconv.Unquote(x.Value)
					check(files.Position(x.Pos()).String(), `"`+text+`"`)
				}
				return true
			})
		}
		return nil
	})
	if err != nil || seen < 300 {
		t.Errorf("%d files: %v", seen, err)
	}
}
