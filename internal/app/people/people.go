// Package people is who works in a shop and who is fitted there: signing in, the shop and its
// settings, runners by name, and the addresses that need no password.
package people

import "trevik/internal/app"

// People is that concern.
type People struct{ *app.Core }
