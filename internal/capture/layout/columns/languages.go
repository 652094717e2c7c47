package columns

// titlesElsewhere are the titles that workstations and net-tools print in other languages, folded, with what they say in
// English. The names of columns are among the other synonyms.
var titlesElsewhere = foldedKeys(map[string]string{
	"IPv4-Routentabelle":           "ipv4 route table",
	"IPv6-Routentabelle":           "ipv6 route table",
	"IPv4 Table de routage":        "ipv4 route table",
	"IPv6 Table de routage":        "ipv6 route table",
	"IPv4 Tabla de enrutamiento":   "ipv4 route table",
	"IPv6 Tabla de enrutamiento":   "ipv6 route table",
	"IPv4 Tabella route":           "ipv4 route table",
	"IPv6 Tabella route":           "ipv6 route table",
	"Aktive Routen:":               "active routes:",
	"Itinéraires actifs :":         "active routes:",
	"Rutas activas:":               "active routes:",
	"Route attive:":                "active routes:",
	"Ständige Routen:":             "persistent routes:",
	"Itinéraires persistants :":    "persistent routes:",
	"Rutas persistentes:":          "persistent routes:",
	"Route permanenti:":            "persistent routes:",
	"Keine":                        "none",
	"Aucun":                        "none",
	"Ninguno":                      "none",
	"Nessuna":                      "none",
	"Schnittstellenliste":          "interface list",
	"Liste d'Interfaces":           "interface list",
	"Lista de interfaces":          "interface list",
	"ILista de interfaces":         "interface list",
	"Elenco interfacce":            "interface list",
	"Kernel-IP-Routentabelle":      "kernel ip routing table",
	"Kernel IP Routentabelle":      "kernel ip routing table",
	"Table de routage IP du noyau": "kernel ip routing table",
	"Tabla de rutas IP del núcleo": "kernel ip routing table",
})

// longestTitle is more bytes than any of them has.
const longestTitle = 40

// onLinkWords say in other languages that a network is attached, folded.
var onLinkWords = map[string]bool{"aufverbindung": true, "envnculo": true}

func foldedKeys(m map[string]string) map[string]string {
	out := make(map[string]string, len(m))
	for k, v := range m {
		out[fold(k)] = v
	}
	return out
}
