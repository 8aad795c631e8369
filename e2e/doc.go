// Package e2e tests the whole: the service, its command line and its console.
package e2e
