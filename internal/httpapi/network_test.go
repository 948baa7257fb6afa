package httpapi_test

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/httpapi"
)

// certified writes a certificate and its key, of a serial number.
func certified(t *testing.T, folder string, serial int64, at time.Time) (certificate, key string) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(serial), Subject: pkix.Name{CommonName: "codicil.example"}, NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true}
	made, err := x509.CreateCertificate(rand.Reader, template, template, &private.PublicKey, private)
	require.NoError(t, err)
	raw, err := x509.MarshalECPrivateKey(private)
	require.NoError(t, err)
	certificate, key = filepath.Join(folder, "certificate.pem"), filepath.Join(folder, "key.pem")
	require.NoError(t, os.WriteFile(certificate, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: made}), 0o600))
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: raw}), 0o600))
	require.NoError(t, os.Chtimes(certificate, at, at))
	require.NoError(t, os.Chtimes(key, at, at))
	return certificate, key
}

// A server with files of TLS speaks nothing else, tells browsers so, and takes new files without being started again.
func TestTLSFromFiles(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	handler, err := httpapi.New(h.app, httpapi.Options{Client: os.DirFS(t.TempDir())})
	require.NoError(t, err)
	folder := t.TempDir()
	certificate, key := certified(t, folder, 1, time.Now().Add(-time.Hour))
	ctx, stop := context.WithCancel(t.Context())
	addresses, done := make(chan string, 1), make(chan error, 1)
	go func() {
		done <- httpapi.Serve(ctx, httpapi.Network{Address: "127.0.0.1:0", Certificate: certificate, Key: key}, handler, func(url string) { addresses <- url })
	}()
	url := <-addresses
	assert.True(t, strings.HasPrefix(url, "https://"))
	serial := func() int64 {
		client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}}
		response, err := client.Get(url + "/healthz")
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		assert.Equal(t, http.StatusOK, response.StatusCode)
		assert.NotEmpty(t, response.Header.Get("Strict-Transport-Security"))
		return response.TLS.PeerCertificates[0].SerialNumber.Int64()
	}
	assert.Equal(t, int64(1), serial())
	certified(t, folder, 2, time.Now())
	assert.Equal(t, int64(2), serial())
	require.NoError(t, os.WriteFile(certificate, []byte("half"), 0o600))
	assert.Equal(t, int64(2), serial(), "what cannot be read leaves the one that is there")
	plain, err := http.Get(strings.Replace(url, "https://", "http://", 1) + "/healthz")
	require.NoError(t, err)
	require.NoError(t, plain.Body.Close())
	assert.Equal(t, http.StatusBadRequest, plain.StatusCode)
	_, err = tls.Dial("tcp", strings.TrimPrefix(url, "https://"), &tls.Config{InsecureSkipVerify: true, MaxVersion: tls.VersionTLS11})
	require.Error(t, err)
	stop()
	require.NoError(t, <-done)
	require.Error(t, httpapi.Serve(t.Context(), httpapi.Network{Address: "127.0.0.1:0", Certificate: certificate, Key: filepath.Join(folder, "none")}, handler, func(string) {}))
}
