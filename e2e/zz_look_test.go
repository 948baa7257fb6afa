package e2e

import ("testing";"os";"codicil/internal/contract";"net/http";"time")

func TestZZLook(t *testing.T) {
	u := open(t, "/loads")
	shot := func(name string) { time.Sleep(700*time.Millisecond); b, _ := u.page.Picture(); os.WriteFile("/tmp/shots/"+name+".png", b, 0o600) }
	u.sees("table", "Vendors from the chandlery")
	shot("loads")
	u.goes("/loads/2")
	u.sees(".preview", "Arklow Anchors")
	shot("load-rows")
	var r contract.Run
	u.calls(http.MethodPost, "/loads/2/check", nil, &r)
	time.Sleep(800*time.Millisecond)
	u.goes("/loads/2")
	shot("load-run")
	u.goes("/runs")
	shot("runs")
}
