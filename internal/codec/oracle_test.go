package codec

import (
	"encoding/json"
	"math/rand"
	"reflect"
	"testing"
	"testing/quick"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is kept is hashed and compared byte by byte with what other releases kept: the quicker package writes and reads the same as
// the standard library.
func TestWhatIsKeptIsWhatTheStandardLibraryWrites(t *testing.T) {
	random := rand.New(rand.NewSource(25))
	for domain, s := range shapes {
		for range 50 {
			v, made := quick.Value(domain, random)
			require.True(t, made, s.name)
			model := reflect.New(s.model)
			into(model.Elem(), v)
			plain, err := json.Marshal(model.Elem().Interface())
			require.NoError(t, err)
			part, err := WritePart(v.Interface())
			require.NoError(t, err)
			assert.JSONEq(t, string(plain), string(part), s.name)
			text, err := Write(v.Interface())
			require.NoError(t, err)
			bare, err := s.newest(text)
			require.NoError(t, err)
			if plain[0] == '{' {
				bare = bare[len(`{"v":1`):]
				if bare[0] == ',' {
					bare = bare[1:]
				}
				bare = append([]byte("{"), bare...)
			}
			require.Equal(t, string(plain), string(bare), s.name)

			same := reflect.New(s.model)
			require.NoError(t, json.Unmarshal(plain, same.Interface()))
			want, got := reflect.New(domain), reflect.New(domain)
			into(want.Elem(), same.Elem())
			require.NoError(t, Read(plain, got.Interface()), s.name)
			require.Equal(t, want.Interface(), got.Interface(), s.name)

			// Nor does damage make the one read what the other refuses.
			for range 5 {
				if len(plain) <= len("{}") {
					break
				}
				broken := append([]byte(nil), plain...)
				broken[1+random.Intn(len(broken)-1)] = byte(random.Intn(256))
				other := reflect.New(s.model)
				refused := json.Unmarshal(broken, other.Interface())
				err := Read(broken, reflect.New(domain).Interface())
				assert.Equal(t, refused != nil, err != nil, "%s: %v, %v", broken, refused, err)
			}
			assert.Error(t, Read(append(plain[:len(plain):len(plain)], ` {}`...), reflect.New(domain).Interface()), s.name)
		}
	}
}
