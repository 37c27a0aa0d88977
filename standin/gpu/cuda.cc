// SPDX-License-Identifier: Apache-2.0
// The stand-in libcuda.so.1: devices and contexts answer; everything that would compute on a device
// refuses. The codec library's NVENC encoders need no more of it when pictures lie in main memory.
#include <ffnvcodec/dynlink_cuda.h>

#include <cstring>
#include <mutex>
#include <optional>

#include "channel.h"

namespace {

constexpr CUresult kInvalidDevice = static_cast<CUresult>(101);  // CUDA_ERROR_INVALID_DEVICE
constexpr CUresult kNoDevice = static_cast<CUresult>(100);       // CUDA_ERROR_NO_DEVICE

// Asks the device once a process. Nothing if there is none.
const std::optional<standin::DeviceInfo>& Device() {
  static const std::optional<standin::DeviceInfo> info = []() -> std::optional<standin::DeviceInfo> {
    const standin::Descriptor socket = standin::ConnectToDevice();
    if (!socket) return std::nullopt;
    standin::Send(socket.get(), {.kind = standin::Kind::kHello, .status = {}, .device = {}});
    const auto answer = standin::Receive(socket.get());
    if (!answer) return std::nullopt;
    return answer->message.device;
  }();
  return info;
}

int context_marker;  // contexts hold nothing; a non-null handle is all that callers look at

}  // namespace

extern "C" {

CUresult cuInit(unsigned int) { return Device() ? CUDA_SUCCESS : kNoDevice; }

CUresult cuDeviceGetCount(int* count) {
  *count = Device() ? static_cast<int>(Device()->count) : 0;
  return CUDA_SUCCESS;
}

CUresult cuDeviceGet(CUdevice* device, int ordinal) {
  if (!Device() || ordinal < 0 || ordinal >= static_cast<int>(Device()->count)) return kInvalidDevice;
  *device = ordinal;
  return CUDA_SUCCESS;
}

CUresult cuDeviceGetName(char* name, int length, CUdevice) {
  if (!Device() || length < 1) return kInvalidDevice;
  std::strncpy(name, Device()->name, static_cast<std::size_t>(length - 1));
  name[length - 1] = 0;
  return CUDA_SUCCESS;
}

CUresult cuDeviceComputeCapability(int* major, int* minor, CUdevice) {
  if (!Device()) return kInvalidDevice;
  *major = Device()->compute_major;
  *minor = Device()->compute_minor;
  return CUDA_SUCCESS;
}

CUresult cuCtxCreate_v2(CUcontext* context, unsigned int, CUdevice) {
  *context = reinterpret_cast<CUcontext>(&context_marker);
  return CUDA_SUCCESS;
}
CUresult cuCtxPushCurrent_v2(CUcontext) { return CUDA_SUCCESS; }
CUresult cuCtxPopCurrent_v2(CUcontext* context) {
  if (context) *context = reinterpret_cast<CUcontext>(&context_marker);
  return CUDA_SUCCESS;
}
CUresult cuCtxDestroy_v2(CUcontext) { return CUDA_SUCCESS; }
CUresult cuCtxGetDevice(CUdevice* device) {
  *device = 0;
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
NOT_SUPPORTED(cuArray3DCreate_v2)
NOT_SUPPORTED(cuArrayDestroy)
#undef NOT_SUPPORTED

}  // extern "C"
