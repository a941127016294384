package digest_test

import (
	"bytes"
	"context"
	"crypto/md5"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"errors"
	"io"
	"math/rand/v2"
	"strings"
	"sync/atomic"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digest"
	"frankledger/core/entry"
)

func algorithm(t *testing.T, name string) entry.Facts {
	a, err := entry.LookupAlgorithm(name)
	require.NoError(t, err)
	return a.Fact
}

// The test vectors that the standards were published with.
func TestPublishedVectors(t *testing.T) {
	const twoBlocks = "abcdbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq"
	million := strings.Repeat("a", 1_000_000)
	for _, c := range []struct {
		fact          entry.Facts
		content, want string
	}{
		// FIPS 180-4, from NIST's examples
		{entry.FactSHA256, "abc", "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"},
		{entry.FactSHA256, "", "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"},
		{entry.FactSHA256, twoBlocks, "248d6a61d20638b8e5c026930c3e6039a33ce45964ff2167f6ecedd419db06c1"},
		{entry.FactSHA256, million, "cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0"},
		{entry.FactSHA512, "abc", "ddaf35a193617abacc417349ae20413112e6fa4e89a97ea20a9eeee64b55d39a2192992a274fc1a836ba3c23a3feebbd454d4423643ce80e2a9ac94fa54ca49f"},
		{entry.FactSHA1, "abc", "a9993e364706816aba3e25717850c26c9cd0d89d"},
		{entry.FactSHA1, twoBlocks, "84983e441c3bd26ebaae4aa1f95129e5e54670f1"},
		{entry.FactSHA1, million, "34aa973cd4c4daa4f61eeb2bdbad27316534016f"},
		{entry.FactSHA384, "abc", "cb00753f45a35e8bb5a03d699ac65007272c32ab0eded1631a8b605a43ff5bed8086072ba1e7cc2358baeca134c825a7"},
		// RFC 1321, appendix A.5
		{entry.FactMD5, "", "d41d8cd98f00b204e9800998ecf8427e"},
		{entry.FactMD5, "a", "0cc175b9c0f1b6a831c399e269772661"},
		{entry.FactMD5, "abc", "900150983cd24fb0d6963f7d28e17f72"},
		{entry.FactMD5, "message digest", "f96b697d7cb7938d525a2f31aaf161d0"},
		{entry.FactMD5, "abcdefghijklmnopqrstuvwxyz", "c3fcd3d76192e4007dfb496cca67e13b"},
		// the BLAKE3 paper's reference vectors
		{entry.FactBLAKE3, "", "af1349b9f5f9a1a6a0404dea36dcc9499bcb25c9adc112b7cc9a93cae41f3262"},
		{algorithm(t, "sha3-256"), "abc", "3a985da74fe225b2045c172d6bd390bd855f086e3e9d525b46bfe24511431532"},
		{algorithm(t, "sha3-512"), "abc", "b751850b1a57168a5693cd924b6b096e08f621827444f70d884f5d0240d2712e10e116e9192af3c91a7ec57647e3934057340b4cf408d5a56592f8274eec53f0"},
		{algorithm(t, "blake2b"), "abc", "ba80a53f981c4d0d6a2797b69f12f6e94c212f14685ac4b74b12bb6fdbffa2d17d87c5392aab792dc252d5de4533cc9518d38aa8dbf1925ab92386edd4009923"},
		{entry.FactBLAKE3, "abc", "6437b3ac38465133ffb63b75273a8db548c558465d79db03fd359c6cd5bd9d85"},
	} {
		for _, ahead := range []bool{false, true} {
			got, n, err := digest.NewHasher(c.fact).Take(context.Background(), strings.NewReader(c.content), -1, ahead, nil)
			require.NoError(t, err)
			assert.EqualValues(t, len(c.content), n)
			assert.Equal(t, c.want, got.By(c.fact))
		}
	}
}

// One reading serves all algorithms, in whatever pieces the content comes, and
// a hasher can be used again.
func TestSeveralAtOnce(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	hasher := digest.NewHasher(entry.FactDigests)
	for i := range 20 {
		content := make([]byte, random.IntN(3_000_000))
		for i := range content {
			content[i] = byte(random.Uint32())
		}
		var read atomic.Int64
		all, n, err := hasher.Take(context.Background(), iotest.HalfReader(bytes.NewReader(content)), int64(len(content)), i%2 == 0, &read)
		require.NoError(t, err)
		require.EqualValues(t, len(content), n)
		require.Equal(t, n, read.Load())
		require.Len(t, all, len(entry.Algorithms))
		for _, a := range entry.Algorithms {
			require.Len(t, all.By(a.Fact), a.Digits)
		}
		sha256, sha384, md5 := sha256.Sum256(content), sha512.Sum384(content), md5.Sum(content)
		require.Equal(t, hex.EncodeToString(sha256[:]), all.By(entry.FactSHA256))
		require.Equal(t, hex.EncodeToString(sha384[:]), all.By(entry.FactSHA384))
		require.Equal(t, hex.EncodeToString(md5[:]), all.By(entry.FactMD5))
	}
}

func TestReadErrorsGiveNoDigest(t *testing.T) {
	broken := errors.New("broken")
	stopped, stop := context.WithCancel(context.Background())
	stop()
	for _, ahead := range []bool{false, true} {
		hasher := digest.NewHasher(entry.FactSHA256)
		got, n, err := hasher.Take(context.Background(), io.MultiReader(strings.NewReader("half"), iotest.ErrReader(broken)), -1, ahead, nil)
		assert.ErrorIs(t, err, broken)
		assert.EqualValues(t, 4, n)
		assert.Nil(t, got)
		_, _, err = hasher.Take(stopped, strings.NewReader("half"), 4, ahead, nil)
		assert.ErrorIs(t, err, context.Canceled)
	}
}
