package oracle

import (
	"bytes"
	"crypto/hmac"
	"crypto/md5"
	"crypto/pbkdf2"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"io"
	"net"
	"strconv"
	"strings"
	"time"
)

// signIn signs in to a PostgreSQL server as its protocol says (version 3.0), and
// tells whether it was let in and whether a password was asked for.
func signIn(dialer *net.Dialer, network, address, user, database, password string) (in, asked bool, err error) {
	c, err := dialer.Dial(network, address)
	if err != nil {
		return false, false, err
	}
	defer c.Close()
	if err := c.SetDeadline(time.Now().Add(60 * time.Second)); err != nil {
		return false, false, err
	}
	start := binary.BigEndian.AppendUint32(nil, 3<<16)
	start = append(start, "user\x00"+user+"\x00database\x00"+database+"\x00\x00"...)
	if _, err := c.Write(append(binary.BigEndian.AppendUint32(nil, uint32(len(start)+4)), start...)); err != nil {
		return false, false, err
	}
	send := func(body []byte) error {
		_, err := c.Write(append(binary.BigEndian.AppendUint32([]byte{'p'}, uint32(len(body)+4)), body...))
		return err
	}
	var scram *scram
	for {
		kind, body, err := message(c)
		if err != nil {
			return false, asked, err
		}
		if kind == 'E' {
			return false, asked, nil
		}
		if kind == 'Z' { // and it has left before the next comes, who may be one too many
			if _, err = c.Write([]byte{'X', 0, 0, 0, 4}); err == nil {
				_, err = io.Copy(io.Discard, c)
			}
			return true, asked, err
		}
		if kind != 'R' {
			continue
		}
		switch binary.BigEndian.Uint32(body) {
		case 0:
			continue
		case 3:
			err = send([]byte(password + "\x00"))
		case 5:
			inner := md5.Sum([]byte(password + user))
			outer := md5.Sum(append([]byte(hex.EncodeToString(inner[:])), body[4:8]...))
			err = send([]byte("md5" + hex.EncodeToString(outer[:]) + "\x00"))
		case 10:
			scram = newScram(password)
			first := "n,," + scram.first
			err = send(append(binary.BigEndian.AppendUint32([]byte("SCRAM-SHA-256\x00"), uint32(len(first))), first...))
		case 11:
			var last string
			if last, err = scram.last(string(body[4:])); err == nil {
				err = send([]byte(last))
			}
		case 12:
		default:
			return false, true, nil
		}
		if asked = true; err != nil {
			return false, true, err
		}
		if password == "" {
			return false, true, nil
		}
	}
}

// message reads one message of the server.
func message(c io.Reader) (byte, []byte, error) {
	head := make([]byte, 5)
	if _, err := io.ReadFull(c, head); err != nil {
		return 0, nil, err
	}
	body := make([]byte, binary.BigEndian.Uint32(head[1:])-4)
	_, err := io.ReadFull(c, body)
	return head[0], body, err
}

// A scram is the client's side of SCRAM-SHA-256 (RFC 5802, RFC 7677).
type scram struct{ password, first string }

func newScram(password string) *scram { return &scram{password, "n=,r=yewconeOracle"} }

func (s *scram) last(server string) (string, error) {
	var salt []byte
	rounds, nonce := 0, ""
	for part := range strings.SplitSeq(server, ",") {
		switch key, value, _ := strings.Cut(part, "="); key {
		case "r":
			nonce = value
		case "s":
			salt, _ = base64.StdEncoding.DecodeString(value)
		case "i":
			rounds, _ = strconv.Atoi(value)
		}
	}
	salted, err := pbkdf2.Key(sha256.New, s.password, salt, rounds, sha256.Size)
	if err != nil {
		return "", fmt.Errorf("%s: %w", server, err)
	}
	mac := func(key []byte, text string) []byte {
		h := hmac.New(sha256.New, key)
		h.Write([]byte(text))
		return h.Sum(nil)
	}
	key := mac(salted, "Client Key")
	stored := sha256.Sum256(key)
	bare := "c=biws,r=" + nonce
	signature := mac(stored[:], s.first+","+server+","+bare)
	proof := make([]byte, len(key))
	for i := range key {
		proof[i] = key[i] ^ signature[i]
	}
	var out bytes.Buffer
	out.WriteString(bare + ",p=" + base64.StdEncoding.EncodeToString(proof))
	return out.String(), nil
}
