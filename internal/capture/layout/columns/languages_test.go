package columns

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestOtherLanguages: the same prints in other languages, and in encodings that are not UTF-8; what is stored there is
// no route in use.
func TestOtherLanguages(t *testing.T) {
	const rows = "          0.0.0.0          0.0.0.0        10.81.0.1        10.81.0.7     25\n"
	want := []string{"5 0.0.0.0/0 static -/25 via 10.81.0.1 dev 10.81.0.7", "6 10.81.0.0/24 direct -/281 dev 10.81.0.7"}
	for _, text := range []string{
		"IPv4-Routentabelle\n====\nAktive Routen:\n     Netzwerkziel    Netzwerkmaske          Gateway    Schnittstelle Metrik\n" + rows +
			"        10.81.0.0    255.255.255.0   Auf Verbindung        10.81.0.7    281\n====\nSt\x84ndige Routen:\n  Netzwerkadresse          Netzmaske  Gatewayadresse  Metrik\n        10.95.0.0      255.255.0.0      10.81.0.254       1\n",
		"IPv4 Table de routage\n====\nItinéraires actifs :\nDestination réseau    Masque réseau  Adr. passerelle   Adr. interface Métrique\n" + rows +
			"        10.81.0.0    255.255.255.0         On-link       10.81.0.7    281\n====\nItin\x82raires persistants :\n  Adresse réseau    Masque réseau  Adresse passerelle Métrique\n        10.95.0.0      255.255.0.0      10.81.0.254       1\n",
		"IPv4 Tabla de enrutamiento\n====\nRutas activas:\nDestino de red        M\xa0scara de red   Puerta de enlace   Interfaz  M\x82trica\n" + rows +
			"        10.81.0.0    255.255.255.0      En v\xa1nculo         10.81.0.7    281\n====\nRutas persistentes:\n  Ninguno\n",
	} {
		in := []byte(text)
		r := layouttest.Laws(t, Read, in)
		require.Equal(t, want, layouttest.Words(in, r), text)
		require.Empty(t, r.Unread, text)
	}
}
