package network

// nameVRFs tells which of a kernel's tables beside the main one are VRFs': those that have the name, or the number, that
// an interface of the VRF tells.
func (f *deviceFacts) nameVRFs() {
	for _, i := range f.Interfaces {
		for k := range f.Tables {
			if t := &f.Tables[k]; i.VRF != "" && (t.Name == i.VRF || t.Name == i.VRFTable) {
				t.ByRule = false
			}
		}
	}
}

// VRFTable is the table of the VRF that is told to have the interface, by the name that captures have for it; where they
// show none of it, a name that no table has. "" where no VRF is told to have it. Sure: no other table can be the VRF's,
// whatever its name.
func (d *Device) VRFTable(ifname string) (table string, sure bool) {
	i := d.Interface(ifname)
	if i.VRF == "" {
		return "", false
	}
	for _, t := range d.tables {
		if t.Name == i.VRF || t.Name == i.VRFTable {
			return t.Name, true
		}
	}
	return i.VRF, i.VRFTable != ""
}
