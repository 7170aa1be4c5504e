package people

import (
	"context"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/core/fault"
	"trevik/internal/core/units"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// AddShop makes a shop.
func (p *People) AddShop(ctx context.Context, name, currency string) (uint64, error) {
	id, err := p.Store.AddShop(ctx, db.AddShopParams{Name: name, Currency: currency, CreatedAt: p.Now()})
	return uint64(id), err
}

// ShopNamed finds a shop by its name.
func (p *People) ShopNamed(ctx context.Context, name string) (uint64, error) {
	s, err := p.Store.ShopByName(ctx, name)
	return s.ID, app.Found(err)
}

// SetUnits changes how a person reads lengths and distances.
func (p *People) SetUnits(ctx context.Context, who app.Actor, u units.System) error {
	if u != units.Metric && u != units.Imperial {
		return fault.List{{Field: "units", Text: "allowed is metric or imperial"}}
	}
	return p.Store.SetUserUnits(ctx, db.SetUserUnitsParams{Units: string(u), ID: who.UserID})
}

// SetTheme changes between the light and the dim room.
func (p *People) SetTheme(ctx context.Context, who app.Actor, theme string) error {
	if theme != "light" && theme != "dim" {
		return fault.List{{Field: "theme", Text: "allowed is light or dim"}}
	}
	return p.Store.SetUserTheme(ctx, db.SetUserThemeParams{Theme: theme, ID: who.UserID})
}

// Settings of the person's shop, and the list with who set what.
func (p *People) Settings(ctx context.Context, who app.Actor) (record.Settings, []record.Setting, error) {
	h, err := load.Settings(ctx, p.Store.Queries, who.ShopID)
	if err != nil {
		return record.Settings{}, nil, err
	}
	now, list := h.At(time.Time{})
	return now, list, nil
}

// ChangeSettings records the settings that differ from what holds now. It fails with a
// fault.List when a value is not allowed.
func (p *People) ChangeSettings(ctx context.Context, who app.Actor, to map[string]string) error {
	if who.Role != app.Owner {
		return app.ErrNotAllowed
	}
	return p.Do(ctx, who, func(q *db.Queries) error {
		h, err := load.Settings(ctx, q, who.ShopID)
		if err != nil {
			return err
		}
		now, list := h.At(time.Time{})
		change, err := record.Change(now, list, to, who.Units)
		if err != nil {
			return err
		}
		for _, s := range change {
			if err := q.AddSetting(ctx, db.AddSettingParams{ShopID: who.ShopID, Name: s.Name, Value: s.Value, MadeBy: who.UserID,
				MadeAt: p.Now()}); err != nil {
				return err
			}
		}
		return q.TouchVerdictsOfShop(ctx, who.ShopID)
	})
}
