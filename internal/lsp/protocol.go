package lsp

import "encoding/json"

// The messages of the protocol that are spoken here, as far as they are needed.

type position struct {
	Line      int `json:"line"`      // from 0
	Character int `json:"character"` // from 0, in units of UTF-16
}

type span struct {
	Start position `json:"start"`
	End   position `json:"end"`
}

type location struct {
	URI   string `json:"uri"`
	Range span   `json:"range"`
}

type textDocument struct {
	URI     string `json:"uri"`
	Version int    `json:"version"`
	Text    string `json:"text,omitempty"`
}

type initializeParams struct {
	RootURI      string `json:"rootUri"`
	Capabilities struct {
		Workspace struct {
			Edit struct {
				Operations []string `json:"resourceOperations"`
			} `json:"workspaceEdit"`
		} `json:"workspace"`
	} `json:"capabilities"`
	Folders []struct {
		URI string `json:"uri"`
	} `json:"workspaceFolders"`
}

type openParams struct {
	Document textDocument `json:"textDocument"`
}

type changeParams struct {
	Document textDocument `json:"textDocument"`
	Changes  []struct {
		Range *span  `json:"range"`
		Text  string `json:"text"`
	} `json:"contentChanges"`
}

type spotParams struct {
	Document textDocument `json:"textDocument"`
	Position position     `json:"position"`
}

type rangeParams struct {
	Document textDocument `json:"textDocument"`
	Range    span         `json:"range"`
}

type cancelParams struct {
	ID json.RawMessage `json:"id"`
}

type diagnostic struct {
	Range    span   `json:"range"`
	Severity int    `json:"severity"`
	Code     string `json:"code,omitempty"`
	Source   string `json:"source"`
	Message  string `json:"message"`
}

type diagnosticsParams struct {
	URI         string       `json:"uri"`
	Version     *int         `json:"version,omitempty"`
	Diagnostics []diagnostic `json:"diagnostics"`
}

type markup struct {
	Kind  string `json:"kind"`
	Value string `json:"value"`
}

type hover struct {
	Contents markup `json:"contents"`
}

type textEdit struct {
	Range span   `json:"range"`
	Text  string `json:"newText"`
}

type completionItem struct {
	Label  string    `json:"label"`
	Kind   int       `json:"kind"`
	Detail string    `json:"detail,omitempty"`
	Sort   string    `json:"sortText"`
	Filter string    `json:"filterText"`
	Edit   *textEdit `json:"textEdit"`
}

// Kinds of completions: a key, a value.
const (
	kindProperty = 10
	kindValue    = 12
)

type completionList struct {
	Incomplete bool             `json:"isIncomplete"`
	Items      []completionItem `json:"items"`
}

type workspaceEdit struct {
	Changes    map[string][]textEdit `json:"changes,omitempty"`
	Operations []renameFile          `json:"documentChanges,omitempty"`
}

type renameFile struct {
	Kind string `json:"kind"`
	Old  string `json:"oldUri"`
	New  string `json:"newUri"`
}

type codeAction struct {
	Title       string         `json:"title"`
	Kind        string         `json:"kind"`
	Diagnostics []diagnostic   `json:"diagnostics,omitempty"`
	Preferred   bool           `json:"isPreferred,omitempty"`
	Edit        *workspaceEdit `json:"edit"`
}

type documentSymbol struct {
	Name      string           `json:"name"`
	Detail    string           `json:"detail,omitempty"`
	Kind      int              `json:"kind"`
	Range     span             `json:"range"`
	Selection span             `json:"selectionRange"`
	Children  []documentSymbol `json:"children,omitempty"`
}

// Kinds of symbols: a block of keys, a key with a value.
const (
	symbolObject = 19
	symbolKey    = 20
)

type inlayHint struct {
	Position    position `json:"position"`
	Label       string   `json:"label"`
	PaddingLeft bool     `json:"paddingLeft"`
}

// capabilities is what the server tells of itself.
func capabilities(version string) map[string]any {
	return map[string]any{
		"serverInfo": map[string]any{"name": "regola", "version": version},
		"capabilities": map[string]any{
			"positionEncoding":       "utf-16",
			"textDocumentSync":       map[string]any{"openClose": true, "change": 2, "save": true},
			"hoverProvider":          true,
			"completionProvider":     map[string]any{"triggerCharacters": []string{":", " ", "[", ",", "."}},
			"codeActionProvider":     map[string]any{"codeActionKinds": []string{"quickfix"}},
			"definitionProvider":     true,
			"documentSymbolProvider": true,
			"inlayHintProvider":      true,
			"workspace":              map[string]any{"workspaceFolders": map[string]any{"supported": true, "changeNotifications": false}},
		},
	}
}
