// Package record is one runner as typed values, and what follows from them.
//
// A Runner holds what goes on between visits: pairs with their runs and looks, races,
// reports, what may be kept. A Visit holds the findings and decisions of one fit, decoded
// once when they are loaded, loudly where they do not decode. A Shop holds the catalogue
// and the settings. Follow joins the three into Conclusions: each is computed once, on
// demand, and every page, card, list, calendar, phone and command reads the same one.
//
// Each finding is declared once (findings.go): its name, which is also its name in the
// database, its Go type, its unit and limits, its label, at which station it is asked and
// how it is found. There is no database, no clock and no page in here.
package record
