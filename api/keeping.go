package api

import (
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"veneer/bureau"
)

// VaultCheck tells whether the files of the vault are what they were.
type VaultCheck struct {
	Files int             `json:"files"` // that were read
	Bad   []bureau.Damage `json:"bad"`
}

func (s *server) verifyVault(g *gin.Context) {
	files, bad, err := s.Bureau.VerifyVault(g.Request.Context())
	s.answer(g, VaultCheck{files, bad}, err)
}

// backup sends a tar as it is made; when it breaks off, so does the answer.
func (s *server) backup(g *gin.Context) {
	h := g.Writer.Header()
	h.Set("Content-Type", tarType)
	h.Set("Content-Disposition", `attachment; filename="veneer-`+time.Now().UTC().Format("2006-01-02")+`.tar"`)
	if err := s.Bureau.Backup(g.Request.Context(), g.Writer); err != nil {
		s.Log.Error("backup", "err", err)
		panic(http.ErrAbortHandler) // it must not look whole
	}
}
