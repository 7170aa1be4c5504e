package kit

import (
	"errors"
	"io"
	"net/http"

	"github.com/gin-gonic/gin"

	"trevik/internal/core/fault"
	"trevik/internal/picture"
)

// Picture reads the picture that a form sends in a field; the form's other fields can
// be read after it. It fails with a fault.List at the field.
func Picture(c *gin.Context, field string) ([]byte, error) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, picture.MaxBytes+(1<<20))
	file, _, err := c.Request.FormFile(field)
	var tooBig *http.MaxBytesError
	if errors.As(err, &tooBig) {
		var l fault.List
		l.Add(field, "is larger than %d MiB", picture.MaxBytes>>20)
		return nil, l
	}
	if err != nil {
		return nil, fault.List{{Field: field, Text: "is missing; choose a PNG or JPEG picture"}}
	}
	defer file.Close()
	return io.ReadAll(file)
}
