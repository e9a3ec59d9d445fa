package tensor

import "golang.org/x/sys/cpu"

// available lists the kernels that this machine can run, the fastest first.
func available() (list []kernels) {
	if cpu.X86.HasAVX512F && cpu.X86.HasAVX512DQ && cpu.X86.HasAVX512VL {
		list = append(list, kernels{"avx512", 12, 32, tileAVX512, expAVX512, sigmoidAVX512, tanhAVX512})
	}
	if cpu.X86.HasAVX2 && cpu.X86.HasFMA {
		list = append(list, kernels{"avx2", 6, 16, tileAVX2, expAVX2, sigmoidAVX2, tanhAVX2})
	}
	return list
}
