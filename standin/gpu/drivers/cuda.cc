// SPDX-License-Identifier: Apache-2.0
// The stand-in libcuda.so.1: devices and contexts answer; everything that would compute on a device
// refuses. The codec library's NVENC encoders need no more of it when pictures lie in main memory.
#include <ffnvcodec/dynlink_cuda.h>

#include <cstdint>
#include <cstring>
#include <mutex>
#include <vector>

#include "channel.h"

namespace {

constexpr CUresult kInvalidDevice = static_cast<CUresult>(101);   // CUDA_ERROR_INVALID_DEVICE
constexpr CUresult kInvalidContext = static_cast<CUresult>(201);  // CUDA_ERROR_INVALID_CONTEXT
constexpr CUresult kNoDevice = static_cast<CUresult>(100);        // CUDA_ERROR_NO_DEVICE

// Asks the devices once a process. Empty if there are none.
const std::vector<standin::DeviceInfo>& Devices() {
  static const std::vector<standin::DeviceInfo> devices = standin::AskDevices(standin::Interface::kNvenc);
  return devices;
}

// A context is only its device's number: a handle from 1 on.
CUcontext ContextOf(CUdevice device) { return reinterpret_cast<CUcontext>(static_cast<std::intptr_t>(device) + 1); }
thread_local std::vector<CUcontext> contexts;

bool IsDevice(int ordinal) { return ordinal >= 0 && static_cast<std::size_t>(ordinal) < Devices().size(); }

}  // namespace

extern "C" {

CUresult cuInit(unsigned int) { return Devices().empty() ? kNoDevice : CUDA_SUCCESS; }

CUresult cuDriverGetVersion(int* version) {
  *version = 12'010;  // CUDA 12.1: 1000 × major + 10 × minor
  return CUDA_SUCCESS;
}

CUresult cuDeviceGetCount(int* count) {
  *count = static_cast<int>(Devices().size());
  return CUDA_SUCCESS;
}

CUresult cuDeviceGet(CUdevice* device, int ordinal) {
  if (!IsDevice(ordinal)) return kInvalidDevice;
  *device = ordinal;
  return CUDA_SUCCESS;
}

CUresult cuDeviceGetName(char* name, int length, CUdevice device) {
  if (!IsDevice(device) || length < 1) return kInvalidDevice;
  std::strncpy(name, Devices()[static_cast<std::size_t>(device)].name, static_cast<std::size_t>(length - 1));
  name[length - 1] = 0;
  return CUDA_SUCCESS;
}

CUresult cuDeviceGetPCIBusId(char* address, int length, CUdevice device) {
  if (!IsDevice(device) || length < 1) return kInvalidDevice;
  std::strncpy(address, Devices()[static_cast<std::size_t>(device)].bus_address, static_cast<std::size_t>(length - 1));
  address[length - 1] = 0;
  return CUDA_SUCCESS;
}

CUresult cuDeviceComputeCapability(int* major, int* minor, CUdevice device) {
  if (!IsDevice(device)) return kInvalidDevice;
  *major = Devices()[static_cast<std::size_t>(device)].compute_major;
  *minor = Devices()[static_cast<std::size_t>(device)].compute_minor;
  return CUDA_SUCCESS;
}

CUresult cuCtxCreate_v2(CUcontext* context, unsigned int, CUdevice device) {
  if (!IsDevice(device)) return kInvalidDevice;
  *context = ContextOf(device);
  contexts.push_back(*context);
  return CUDA_SUCCESS;
}
CUresult cuCtxPushCurrent_v2(CUcontext context) {
  contexts.push_back(context);
  return CUDA_SUCCESS;
}
CUresult cuCtxPopCurrent_v2(CUcontext* context) {
  if (contexts.empty()) return kInvalidContext;
  if (context) *context = contexts.back();
  contexts.pop_back();
  return CUDA_SUCCESS;
}
CUresult cuCtxGetCurrent(CUcontext* context) {
  *context = contexts.empty() ? nullptr : contexts.back();
  return CUDA_SUCCESS;
}
CUresult cuCtxDestroy_v2(CUcontext) { return CUDA_SUCCESS; }
CUresult cuCtxGetDevice(CUdevice* device) {
  if (contexts.empty()) return kInvalidContext;
  *device = static_cast<CUdevice>(reinterpret_cast<std::intptr_t>(contexts.back()) - 1);
  return CUDA_SUCCESS;
}
CUresult cuGetErrorName(CUresult, const char** text) {
  *text = "CUDA_ERROR (stand-in)";
  return CUDA_SUCCESS;
}
CUresult cuGetErrorString(CUresult, const char** text) {
  *text = "refused by the stand-in driver";
  return CUDA_SUCCESS;
}

// The rest of the loader's mandatory symbols. Called through C pointers of other types, with the
// platform's C convention, they ignore their arguments and say CUDA_ERROR_NOT_SUPPORTED.
#define NOT_SUPPORTED(name) \
  int name() { return 801; }
NOT_SUPPORTED(cuDeviceGetAttribute)
NOT_SUPPORTED(cuCtxSetLimit)
NOT_SUPPORTED(cuMemAlloc_v2)
NOT_SUPPORTED(cuMemAllocPitch_v2)
NOT_SUPPORTED(cuMemAllocManaged)
NOT_SUPPORTED(cuMemsetD8Async)
NOT_SUPPORTED(cuMemFree_v2)
NOT_SUPPORTED(cuMemcpy)
NOT_SUPPORTED(cuMemcpyAsync)
NOT_SUPPORTED(cuMemcpy2D_v2)
NOT_SUPPORTED(cuMemcpy2DAsync_v2)
NOT_SUPPORTED(cuMemcpyHtoD_v2)
NOT_SUPPORTED(cuMemcpyHtoDAsync_v2)
NOT_SUPPORTED(cuMemcpyDtoH_v2)
NOT_SUPPORTED(cuMemcpyDtoHAsync_v2)
NOT_SUPPORTED(cuMemcpyDtoD_v2)
NOT_SUPPORTED(cuMemcpyDtoDAsync_v2)
NOT_SUPPORTED(cuDevicePrimaryCtxRetain)
NOT_SUPPORTED(cuDevicePrimaryCtxRelease)
NOT_SUPPORTED(cuDevicePrimaryCtxSetFlags)
NOT_SUPPORTED(cuDevicePrimaryCtxGetState)
NOT_SUPPORTED(cuDevicePrimaryCtxReset)
NOT_SUPPORTED(cuStreamCreate)
NOT_SUPPORTED(cuStreamQuery)
NOT_SUPPORTED(cuStreamSynchronize)
NOT_SUPPORTED(cuStreamDestroy_v2)
NOT_SUPPORTED(cuStreamAddCallback)
NOT_SUPPORTED(cuStreamWaitEvent)
NOT_SUPPORTED(cuEventCreate)
NOT_SUPPORTED(cuEventDestroy_v2)
NOT_SUPPORTED(cuEventSynchronize)
NOT_SUPPORTED(cuEventQuery)
NOT_SUPPORTED(cuEventRecord)
NOT_SUPPORTED(cuLaunchKernel)
NOT_SUPPORTED(cuLinkCreate)
NOT_SUPPORTED(cuLinkAddData)
NOT_SUPPORTED(cuLinkComplete)
NOT_SUPPORTED(cuLinkDestroy)
NOT_SUPPORTED(cuModuleLoadData)
NOT_SUPPORTED(cuModuleUnload)
NOT_SUPPORTED(cuModuleGetFunction)
NOT_SUPPORTED(cuModuleGetGlobal)
NOT_SUPPORTED(cuTexObjectCreate)
NOT_SUPPORTED(cuTexObjectDestroy)
NOT_SUPPORTED(cuGLGetDevices_v2)
NOT_SUPPORTED(cuGraphicsGLRegisterImage)
NOT_SUPPORTED(cuGraphicsUnregisterResource)
NOT_SUPPORTED(cuGraphicsMapResources)
NOT_SUPPORTED(cuGraphicsUnmapResources)
NOT_SUPPORTED(cuGraphicsSubResourceGetMappedArray)
NOT_SUPPORTED(cuGraphicsResourceGetMappedPointer_v2)
NOT_SUPPORTED(cuArrayCreate_v2)
NOT_SUPPORTED(cuArray3DCreate_v2)
NOT_SUPPORTED(cuArrayDestroy)
#undef NOT_SUPPORTED

}  // extern "C"
