package present

import (
	"slices"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/mend"
	"zarvek/internal/core/rehearse"
	"zarvek/internal/core/topology"
)

// Cures are changes that were looked for and proved, by the names of findings. The zero Cures: none was looked for.
type Cures struct {
	Found map[string]*mend.Result
	Topo  *topology.Topology
}

// byRoutes reports whether a repair is a change of routes, which is offered only when it was proved.
func byRoutes(k audit.RepairKind) bool {
	switch k {
	case audit.AddRoute, audit.RemoveRoute, audit.ChangeNextHop, audit.LowerPreference, audit.BreakLoop,
		audit.NameNextHop:
		return true
	}
	return false
}

// ByRoutes reports whether a change of routes may mend a finding.
func ByRoutes(f *audit.Finding) bool {
	return slices.ContainsFunc(f.Repair,
		func(r audit.Repair) bool { return byRoutes(r.Kind) || r.Kind == audit.RaisePreference })
}

// of words the change that mends a finding, and where none is known who looks for one.
func (c Cures) of(f *audit.Finding, option string) []string {
	if !ByRoutes(f) {
		return nil
	}
	r, looked := c.Found[f.ID]
	ask := "zarvek mend " + f.ID + Clean(option)
	switch {
	case !looked:
		return []string{ask + " looks for a change of routes, and proves it"}
	case r.Right:
		return nil
	case r.Cure != nil:
		s := strings.Join(ordersWords(r.Cure.Orders, c.Topo), "; ")
		if f.Kind == audit.Swallowed && f.Pairs == 0 {
			s = "if those addresses are to be reached, " + s
		}
		return []string{s + provedWords(r.Cure, ask)}
	case len(r.Refused) > 0:
		return []string{"no change of routes passed the proof; " + ask + " tells which were tried"}
	}
	if f.Kind == audit.InterfaceOnly {
		return []string{"name the next hop that is meant there; no capture shows which device that is"}
	}
	if r.Outside == mend.NoCure {
		return []string{"no change of routes is known that mends that"}
	}
	return []string{"no change of routes: " + outsideWords(r)}
}

// provedWords says how far a cure is proved, and where its lines are.
func provedWords(c *mend.Cure, ask string) string {
	proved := "proved"
	if all := assumedOf(c); len(all) > 0 {
		proved += ", assuming " + strings.Join(all, ", and ")
	}
	return " (" + proved + "; " + ask + " has the lines to type)"
}

// jsonOf are the proved orders of a finding's cure.
func (c Cures) jsonOf(f *audit.Finding) []jsonRepair {
	r := c.Found[f.ID]
	if r == nil || r.Cure == nil {
		return nil
	}
	var out []jsonRepair
	for _, o := range r.Cure.Orders {
		j := jsonRepair{Code: audit.RemoveRoute.String(),
			Text: strings.Join(ordersWords([]rehearse.Order{o}, c.Topo), ""), Device: text(o.Device),
			Prefix: prefix(o.Prefix), NextHop: address(o.NextHop), Proved: true}
		if s := o.Static; o.Verb == rehearse.Add {
			j.Code, j.Prefix, j.NextHop, j.Interface = audit.AddRoute.String(), prefix(s.Prefix),
				address(s.NextHop.Address), text(s.NextHop.Interface)
			if own := c.Topo.Owners(s.NextHop.Address); len(own) > 0 {
				j.Towards = text(own[0].Device.Name)
			}
		}
		out = append(out, j)
	}
	return out
}
