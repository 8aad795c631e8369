package e2e

import (
	"bytes"
	"io"
	"net/http"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"

	"oskel/internal/client"
)

var contractRouter = sync.OnceValues(func() (routers.Router, error) {
	spec, err := openapi3.NewLoader().LoadFromFile("../api/openapi.yaml")
	if err != nil {
		return nil, err
	}
	spec.Servers = nil
	return gorillamux.NewRouter(spec)
})

// held is an HTTP client for which an answer that the contract does not allow
// is an error: so every test that asks the service holds it to the contract.
var held = client.WithHTTPClient(&http.Client{Transport: contractKeeper{}})

type contractKeeper struct{}

func (contractKeeper) RoundTrip(r *http.Request) (*http.Response, error) {
	answer, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		return answer, err
	}
	router, err := contractRouter()
	if err != nil {
		return nil, err
	}
	route, params, err := router.FindRoute(r)
	if err != nil {
		return answer, nil //nolint:nilerr // asked for on purpose: what is outside the contract
	}
	body, err := io.ReadAll(answer.Body)
	if err != nil {
		return nil, err
	}
	answer.Body = io.NopCloser(bytes.NewReader(body))
	err = openapi3filter.ValidateResponse(r.Context(), &openapi3filter.ResponseValidationInput{
		RequestValidationInput: &openapi3filter.RequestValidationInput{Request: r, PathParams: params, Route: route},
		Status:                 answer.StatusCode,
		Header:                 answer.Header,
		Body:                   io.NopCloser(bytes.NewReader(body)),
		Options: &openapi3filter.Options{IncludeResponseStatus: true,
			ExcludeResponseBody: !strings.Contains(answer.Header.Get("Content-Type"), "json")},
	})
	if err != nil {
		return nil, err
	}
	return answer, nil
}
