// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/discarding_server.h"

#include "kettle/rtmp/connection.h"
#include "support.h"

namespace kettle {
namespace {

TEST(DiscardingServer, EndsWhoeverIsConnectedAndSendsNothing) {
  const DiscardingServer server;
  const Connection one("127.0.0.1", server.port(), false, 5), two("127.0.0.1", server.port(), false, 5);
  EXPECT_GT(server.port(), 0);
  EXPECT_EQ(server.messages(), 0);
}

TEST(DiscardingServer, WhatIsNoPublishEndsThatConnectionAlone) {
  const DiscardingServer server;
  Connection nonsense("127.0.0.1", server.port(), false, 5);
  nonsense.Write(std::string(4000, 'x'));
  const auto ends = [&] {
    for (int i = 0; i < 100; ++i) {
      nonsense.Wait(false, 0.1);
      nonsense.Read();
    }
  };
  EXPECT_THROW(ends(), Error) << "the other side closed";
  const Connection next("127.0.0.1", server.port(), false, 5);
  EXPECT_EQ(server.messages(), 0);
}

}  // namespace
}  // namespace kettle
