package httpapi

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"codicil/api"
)

// serveContract serves the contract as a file, and as a page that a person can read.
func serveContract(e *echo.Echo) {
	e.GET(base+"/openapi.yaml", func(c *echo.Context) error {
		return c.Blob(http.StatusOK, "application/yaml", api.OpenAPI)
	})
}
