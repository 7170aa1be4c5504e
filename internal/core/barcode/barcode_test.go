package barcode

import (
	"errors"
	"strings"
	"testing"
)

func TestRead(t *testing.T) {
	for typed, want := range map[string]string{
		"4006381333931": "04006381333931", "73513537": "00000073513537", "036000291452": "00036000291452",
		"00012345600012": "00012345600012", " 4006381-333931 ": "04006381333931",
	} {
		if got, err := Read(typed); err != nil || got != want {
			t.Errorf("%q: %q, %v", typed, got, err)
		}
	}
	for typed, want := range map[string]error{"": ErrLength, "400638133393": ErrCheck, "4006381333932": ErrCheck, "40063813339x1": ErrLength,
		"123456789": ErrLength, "４００６３８１３３３９３１": ErrLength, "000000000000000": ErrLength} {
		if got, err := Read(typed); !errors.Is(err, want) {
			t.Errorf("%q: %q, %v, want %v", typed, got, err, want)
		}
	}
}

// Of every number one digit that is wrong is found, and what is shown reads as the same number.
func FuzzRead(f *testing.F) {
	f.Add("4006381333931")
	f.Add("73513537")
	f.Fuzz(func(t *testing.T, typed string) {
		code, err := Read(typed)
		if err != nil {
			return
		}
		if len(code) != 14 || strings.Trim(code, "0123456789") != "" {
			t.Fatalf("%q: %q", typed, code)
		}
		if again, err := Read(Shown(code)); err != nil || again != code {
			t.Fatalf("%q is shown as %q, which is %q, %v", code, Shown(code), again, err)
		}
		for i := range code {
			wrong := []byte(code)
			wrong[i] = '0' + (wrong[i]-'0'+1)%10
			if _, err := Read(string(wrong)); err == nil {
				t.Fatalf("%s is taken, and so is %s", code, wrong)
			}
		}
	})
}
