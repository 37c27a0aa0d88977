// SPDX-License-Identifier: Apache-2.0
#include "kettle/device/network.h"

#include <nlohmann/json.hpp>

#include "support.h"

namespace kettle {
namespace {

class NetworkTest : public test::FolderTest {
 protected:
  void Routes(const std::string& lines) {
    Put("proc/net/route", "Iface\tDestination\tGateway\tFlags\tRefCnt\tUse\tMetric\tMask\tMTU\tWindow\tIRTT\n" + lines);
  }
};

TEST_F(NetworkTest, TheDefaultRouteOfTheLowestMetricCounts) {
  Routes(
      "wlp2s0\t00000000\t0100A8C0\t0003\t0\t0\t600\t00000000\t0\t0\t0\n"
      "enp3s0\t00000000\t0100A8C0\t0003\t0\t0\t100\t00000000\t0\t0\t0\n"
      "enp3s0\t0000A8C0\t00000000\t0001\t0\t0\t0\t00FFFFFF\t0\t0\t0\n");
  Put("sys/class/net/enp3s0/speed", "1000\n");
  Put("sys/class/net/wlp2s0/wireless/status", "");
  const auto link = ReadNetwork(path(""));
  ASSERT_TRUE(link);
  EXPECT_EQ(link->interface, "enp3s0");
  EXPECT_FALSE(link->wireless);
  EXPECT_EQ(link->speed_mbps, 1000);
}

TEST_F(NetworkTest, AWirelessOneIsKnownByItsFolder) {
  Routes("wlp2s0\t00000000\t0100A8C0\t0003\t0\t0\t600\t00000000\t0\t0\t0\n");
  Put("sys/class/net/wlp2s0/phy80211/name", "phy0\n");
  Put("sys/class/net/wlp2s0/speed", "-1\n");
  const auto link = ReadNetwork(path(""));
  ASSERT_TRUE(link);
  EXPECT_TRUE(link->wireless);
  EXPECT_EQ(link->speed_mbps, 0);
}

TEST_F(NetworkTest, WithIPv6Alone) {
  Put("proc/net/ipv6_route",
      "00000000000000000000000000000000 00 00000000000000000000000000000000 00 fe800000000000000000000000000001 "
      "00000400 "
      "00000001 00000000 00000003   enp3s0\n");
  const auto link = ReadNetwork(path(""));
  ASSERT_TRUE(link);
  EXPECT_EQ(link->interface, "enp3s0");
}

TEST_F(NetworkTest, NoWayOut) {
  EXPECT_FALSE(ReadNetwork(path("")));
  Routes("enp3s0\t0000A8C0\t00000000\t0001\t0\t0\t0\t00FFFFFF\t0\t0\t0\n");
  EXPECT_FALSE(ReadNetwork(path("")));
}

}  // namespace
}  // namespace kettle
