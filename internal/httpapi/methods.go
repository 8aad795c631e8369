package httpapi

import (
	"context"

	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
)

func (s *server) ListMethods(context.Context, contract.ListMethodsRequestObject) (contract.ListMethodsResponseObject, error) {
	out := contract.ListMethods200JSONResponse{}
	for _, m := range method.All() {
		to := contract.Method{Family: contract.MethodFamily(m.Family), Name: m.Name, Among: contract.MethodAmong(m.Among), Good: m.UseFor, Needs: m.Requires,
			States: m.ExampleKeys, Settings: []contract.MethodSetting{}}
		for _, set := range m.Settings {
			one := contract.MethodSetting{Key: set.Key, Type: contract.MethodSettingType(set.Type), Says: set.Doc, Required: !set.Optional && set.Default == ""}
			if set.Default != "" {
				one.Default = ptr(set.Default)
			}
			if set.Example != "" {
				one.Example = ptr(set.Example)
			}
			if len(set.Choices) > 0 {
				one.Choices = ptr(set.Choices)
			}
			to.Settings = append(to.Settings, one)
		}
		out = append(out, to)
	}
	return out, nil
}

func (s *server) ListKeys(context.Context, contract.ListKeysRequestObject) (contract.ListKeysResponseObject, error) {
	return contract.ListKeys200JSONResponse(rulebook.Keys(method.All())), nil
}
