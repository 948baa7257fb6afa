package e2e

import (
	"fmt"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"

	"codicil/e2e/browser"
)

// BenchmarkFieldToConsequence measures what a person waits for between leaving a field and
// seeing its consequences, with 200 rules in the plan: the page itself takes the time from
// the key to the frame that shows the result.
func BenchmarkFieldToConsequence(b *testing.B) {
	application, err := chromium.Start(browser.Setup{})
	if err != nil {
		b.Fatal(err)
	}
	defer application.Close()
	page, err := application.Page("/plan?company=10&type=SERV")
	if err != nil {
		b.Fatal(err)
	}
	defer page.Close()
	if err := page.Until(`document.querySelector('[data-field="trading_as"]') !== null`); err != nil {
		b.Fatal(err)
	}
	if _, err := browser.Ask(page, chromedp.Evaluate[bool](`(async () => {
		const headers = { "content-type": "application/json" };
		for (let i = 0; i < 175; i++) {
			const body = { kind: "vendor", family: "validate", target: ["street", "city", "website", "trading_as", "buyer"][i % 5], priority: i,
				scope: { companies: [], types: [], from: "", until: "" }, when: "credit_limit > " + i, on: { new: true, change: true },
				effect: { severity: "advise", must: 'name != "N' + i + '"', message: "no" }, note: { askedBy: "", askedOn: "", why: "" } };
			const rule = await (await fetch("/api/v1/rules", { method: "POST", headers, body: JSON.stringify({ body }) })).json();
			const moved = await fetch("/api/v1/rules/" + rule.id + "/state", { method: "POST", headers, body: JSON.stringify({ state: "in force", version: rule.version, reason: "a measurement" }) });
			if (!moved.ok) throw new Error(await moved.text());
		}
		return true;
	})()`, chromedp.EvalAwaitPromise)); err != nil {
		b.Fatal(err)
	}
	times, err := browser.Ask(page, chromedp.Evaluate[[]float64](fmt.Sprintf(`(async () => {
		const cell = document.querySelector('[data-field="trading_as"] [data-station="entered"]');
		const result = document.querySelector('[data-field="trading_as"] [data-station="result"]');
		const frame = () => new Promise(requestAnimationFrame);
		const times = [];
		for (let i = 0; i < %d + 5; i++) {
			cell.click();
			while (!cell.querySelector("input")) await frame();
			const input = cell.querySelector("input");
			const text = "Quay " + i;
			Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(input, text);
			input.dispatchEvent(new Event("input", { bubbles: true }));
			await frame();
			const begun = performance.now();
			input.dispatchEvent(new KeyboardEvent("keydown", { key: "Tab", bubbles: true, cancelable: true }));
			while (!result.innerText.includes(text)) await frame();
			if (i >= 5) times.push(performance.now() - begun);
		}
		return times;
	})()`, max(b.N, 100)), chromedp.EvalAwaitPromise))
	if err != nil {
		b.Fatal(err)
	}
	slices.Sort(times)
	b.ReportMetric(times[len(times)/2], "ms-median")
	b.ReportMetric(times[len(times)*95/100], "ms-95th")
	b.ReportMetric(0, "ns/op")
}
