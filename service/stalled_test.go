package service_test

import (
	"context"
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// stalled asks for a path and reads nothing of the answer.
func stalled(t *testing.T, address, path string) {
	t.Helper()
	host := strings.TrimPrefix(address, "http://")
	conn, err := net.Dial("tcp", host)
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	require.NoError(t, conn.(*net.TCPConn).SetReadBuffer(4096))
	_, err = fmt.Fprintf(conn, "GET %s%s HTTP/1.1\r\nHost: %s\r\n\r\n", api.Prefix, path, host)
	require.NoError(t, err)
}

// Whoever takes a download and stops reading holds nothing that others need.
func TestStalledDownloadsStopNobody(t *testing.T) {
	c, s := start(t, t.TempDir())
	var table strings.Builder
	table.WriteString("day,shop,sold\n")
	day := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for shop := range 300 {
		for d := range 240 {
			fmt.Fprintf(&table, "%s,shop %d,%d\n", day.AddDate(0, 0, d).Format(time.DateOnly), shop, 100+(d*7+shop)%50)
		}
	}
	_, err := c.Load(ctx, "shops", api.LoadColumns{Time: "day", Measure: "sold", By: []string{"shop"}, File: "shops.csv"},
		strings.NewReader(table.String()))
	require.NoError(t, err)
	b := run(t, c, api.Plan{Dataset: "shops", Horizon: 28, Windows: 6, Contenders: contenders("naive", "mean")})
	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: b.ID, Contender: "naive"}, "")
	require.NoError(t, err)
	_, err = c.Wait(ctx, rel.Job.ID, nil)
	require.NoError(t, err)
	for range 100 {
		stalled(t, s.Address(), "/bakeoffs/"+b.ID+"/export")
		stalled(t, s.Address(), "/releases/"+rel.ID+"/export")
	}
	time.Sleep(300 * time.Millisecond) // for the streams to fill what room there is
	// Far below the half minute after which a stream is given up.
	soon, cancel := context.WithTimeout(ctx, 15*time.Second)
	defer cancel()
	for range 3 {
		_, err = c.Datasets(soon)
		require.NoError(t, err)
		_, err = c.Standings(soon, b.ID, "", "")
		require.NoError(t, err)
	}
}
