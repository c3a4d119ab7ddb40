package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestShard parts the work the same way whatever the order of the call, and loses and
// doubles nothing.
func TestShard(t *testing.T) {
	jobs, err := inputs([]string{"../../demo/sound", "../../demo/faulty"}, "", false)
	require.NoError(t, err)
	turned, err := inputs([]string{"../../demo/faulty", "../../demo/sound"}, "", false)
	require.NoError(t, err)
	for _, shard := range []string{"1/1", "1/2", "2/2", "3/3"} {
		a, part, err := shardOf(jobs, shard)
		require.NoError(t, err)
		b, _, err := shardOf(turned, shard)
		require.NoError(t, err)
		assert.Equal(t, a, b, shard)
		require.Len(t, part.Dossiers, 2)
		require.Len(t, part.Names(), len(a))
		for i, name := range part.Names() {
			assert.Equal(t, a[i].Dossier, name)
		}
	}
	last, _, err := shardOf(jobs, "3/3")
	require.NoError(t, err)
	assert.Empty(t, last, "more parts than dossiers")
	for _, bad := range []string{"0/2", "3/2", "1", "a/b", "1/2/3", "-1/2", " 1/2"} {
		_, _, err := shardOf(jobs, bad)
		assert.Error(t, err, bad)
	}
	below, err := inputs([]string{"../../demo"}, "", false)
	require.NoError(t, err)
	assert.Len(t, below, 2, "a folder stands for the dossiers below it")
}

// TestShardHere takes the part of a call from its surroundings.
func TestShardHere(t *testing.T) {
	for _, c := range []struct {
		env         map[string]string
		count, want string
	}{
		{map[string]string{"SLURM_ARRAY_TASK_ID": "1", "SLURM_ARRAY_TASK_MIN": "1", "SLURM_ARRAY_TASK_COUNT": "4"}, "", "1/4"},
		{map[string]string{"SLURM_ARRAY_TASK_ID": "13", "SLURM_ARRAY_TASK_MIN": "10", "SLURM_ARRAY_TASK_COUNT": "4"}, "", "4/4"},
		{map[string]string{"SLURM_ARRAY_TASK_ID": "0", "SLURM_ARRAY_TASK_COUNT": "4"}, "", "1/4"},
		{map[string]string{"SLURM_PROCID": "2", "SLURM_NTASKS": "3"}, "", "3/3"},
		{map[string]string{"JOB_COMPLETION_INDEX": "0"}, "4", "1/4"},
		{map[string]string{"JOB_COMPLETION_INDEX": "3"}, "4", "4/4"},
		{map[string]string{"CI_NODE_INDEX": "1", "CI_NODE_TOTAL": "2"}, "", "1/2"},
		{map[string]string{"CI_NODE_INDEX": "2", "CI_NODE_TOTAL": "9"}, "2", "2/2"},
	} {
		got, err := shardHere(c.count, func(name string) string { return c.env[name] })
		require.NoError(t, err)
		assert.Equal(t, c.want, got, "%v", c.env)
	}
	for _, env := range []map[string]string{nil, {"JOB_COMPLETION_INDEX": "1"}, {"CI_NODE_INDEX": "x", "CI_NODE_TOTAL": "2"}, {"CI_NODE_INDEX": "1"}} {
		_, err := shardHere("", func(name string) string { return env[name] })
		assert.Error(t, err, "%v", env)
	}
}
