/* Wine 8 lacks the library that Go's runtime asks for random numbers. */
#include <windows.h>
#include <ntsecapi.h>

__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE data, SIZE_T length) { return RtlGenRandom(data, (ULONG)length); }
