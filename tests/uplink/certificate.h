// SPDX-License-Identifier: Apache-2.0
// A certificate for TLS on this machine.
#pragma once

#include <openssl/evp.h>
#include <openssl/pem.h>
#include <openssl/x509.h>
#include <openssl/x509v3.h>

#include <cstdio>
#include <filesystem>

namespace kettle::test {

// certificate.pem, for 127.0.0.1, which vouches for itself, and its key.pem.
inline void MakeCertificate(const std::filesystem::path& folder) {
  EVP_PKEY* key = EVP_RSA_gen(2048);
  X509* certificate = X509_new();
  ASN1_INTEGER_set(X509_get_serialNumber(certificate), 1);
  X509_set_version(certificate, 2);
  X509_gmtime_adj(X509_getm_notBefore(certificate), -60);
  X509_gmtime_adj(X509_getm_notAfter(certificate), 3600);
  X509_set_pubkey(certificate, key);
  X509_NAME* name = X509_get_subject_name(certificate);
  X509_NAME_add_entry_by_txt(name, "CN", MBSTRING_ASC, reinterpret_cast<const unsigned char*>("pier"), -1, -1, 0);
  X509_set_issuer_name(certificate, name);
  X509_EXTENSION* address = X509V3_EXT_conf_nid(nullptr, nullptr, NID_subject_alt_name, "IP:127.0.0.1");
  X509_add_ext(certificate, address, -1);
  X509_sign(certificate, key, EVP_sha256());
  std::FILE* file = std::fopen((folder / "certificate.pem").c_str(), "w");
  PEM_write_X509(file, certificate);
  std::fclose(file);
  file = std::fopen((folder / "key.pem").c_str(), "w");
  PEM_write_PrivateKey(file, key, nullptr, nullptr, 0, nullptr, nullptr);
  std::fclose(file);
  X509_EXTENSION_free(address);
  X509_free(certificate);
  EVP_PKEY_free(key);
}

}  // namespace kettle::test
