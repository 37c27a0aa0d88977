// SPDX-License-Identifier: Apache-2.0
#include "kettle/watching/program.h"

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <thread>

#include "kettle/watching/sockets.h"
#include "loopback.h"
#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;

using test::Loopback;

const SocketReading* Find(const std::vector<SocketReading>& sockets, const std::string& remote) {
  for (const SocketReading& socket : sockets)
    if (socket.remote == remote) return &socket;
  return nullptr;
}

TEST(ReadAgain, OneThatIsNoMoreIsNotThere) {
  SocketReading gone;
  {
    const Loopback connection;
    const auto sockets = ReadTcpSockets();
    gone = *Find(sockets, fmt::format("127.0.0.1:{}", connection.port));
    EXPECT_TRUE(ReadAgain(gone));
  }
  EXPECT_FALSE(ReadAgain(gone));
}

TEST(ReadTcpSockets, TellsWhatWasSentAndWhatWaits) {
  const Loopback connection;
  if (ReadTcpSockets().empty()) GTEST_SKIP() << "this kernel tells nothing of connections";
  const std::string remote = fmt::format("127.0.0.1:{}", connection.port);
  const std::string data(20'000, 'x');
  ASSERT_EQ(write(connection.from, data.data(), data.size()), static_cast<ssize_t>(data.size()));
  std::string read_back(data.size(), ' ');
  ASSERT_EQ(recv(connection.to, read_back.data(), read_back.size(), MSG_WAITALL), static_cast<ssize_t>(data.size()));
  const std::vector<SocketReading> sockets = ReadTcpSockets();
  const SocketReading* socket = Find(sockets, remote);
  ASSERT_TRUE(socket);
  EXPECT_GE(socket->sent_bytes, 20'000);
  EXPECT_TRUE(ReadProgram(getpid()).sockets.contains(socket->inode));
  // Nobody reads any more: what is written now waits.
  fcntl(connection.from, F_SETFL, O_NONBLOCK);
  const std::string much(1 << 20, 'y');
  while (write(connection.from, much.data(), much.size()) > 0) {
  }
  const std::vector<SocketReading> full = ReadTcpSockets();
  ASSERT_TRUE(Find(full, remote));
  const auto again = ReadAgain(*Find(full, remote));
  ASSERT_TRUE(again);
  EXPECT_EQ(again->inode, Find(full, remote)->inode);
  EXPECT_EQ(again->remote, remote);
  EXPECT_GT(again->unsent_bytes, 100'000);
  EXPECT_GT(Find(full, remote)->unsent_bytes, 100'000);
}

class ProgramReadingTest : public test::FolderTest {};

TEST_F(ProgramReadingTest, FilesOpenForWritingWithTheirSizes) {
  const std::string file = path("recording.mkv");
  const int fd = open(file.c_str(), O_WRONLY | O_CREAT, 0600);
  ASSERT_EQ(write(fd, "0123456789", 10), 10);
  const std::string read_only = Put("clip.mkv", "footage");
  const int other = open(read_only.c_str(), O_RDONLY);
  const ProgramReading reading = ReadProgram(getpid());
  std::map<std::string, std::int64_t> files;
  for (const FileReading& each : reading.files) files[each.path] = each.bytes;
  EXPECT_EQ(files[std::filesystem::canonical(file)], 10);
  EXPECT_FALSE(files.contains(std::filesystem::canonical(read_only)));
  EXPECT_TRUE(reading.threads.contains(getpid()));
  close(fd);
  close(other);
}

TEST_F(ProgramReadingTest, AProcessThatIsNotThereIsSaid) {
  const pid_t child = fork();
  if (child == 0) _exit(0);
  waitpid(child, nullptr, 0);
  EXPECT_FALSE(IsRunning(child));
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { ReadProgram(child); }), HasSubstr("no process"));
}

TEST_F(ProgramReadingTest, OneOfAnotherUserIsSaid) {
  if (getuid() != 0) {
    EXPECT_THAT(test::Complaint(Fault::kInput, [] { ReadProgram(1); }), HasSubstr("another user's"));
    return;
  }
  const pid_t child = fork();
  if (child == 0) {  // nobody in particular, who may not look into this process
    const pid_t parent = getppid();
    if (setgid(65534) != 0 || setuid(65534) != 0) _exit(3);
    try {
      ReadProgram(parent);
    } catch (const Error& error) {
      _exit(std::string(error.what()).find("another user's") != std::string::npos ? 0 : 1);
    }
    _exit(2);
  }
  int status = 0;
  waitpid(child, &status, 0);
  EXPECT_EQ(WEXITSTATUS(status), 0);
}

TEST(FindStreamers, AProgramThatSendsFastIsFound) {
  const Loopback connection;
  std::atomic<bool> stop = false;
  const pid_t sender = fork();
  if (sender == 0) {
    const std::string data(50'000, 'x');
    for (;;) {
      if (write(connection.from, data.data(), data.size()) < 0) _exit(1);
      usleep(50'000);  // 8 Mbit/s
    }
  }
  close(connection.from);
  std::thread reader([&] {
    std::string data(100'000, ' ');
    while (!stop && read(connection.to, data.data(), data.size()) > 0) {
    }
  });
  const std::vector<Streamer> found = FindStreamers(0.5);
  stop = true;
  kill(sender, SIGKILL);
  waitpid(sender, nullptr, 0);
  reader.join();
  const auto it = std::find_if(found.begin(), found.end(), [&](const Streamer& s) { return s.pid == sender; });
  ASSERT_NE(it, found.end());
  EXPECT_GT(it->kbps, 200);
  EXPECT_EQ(it->remote, fmt::format("127.0.0.1:{}", connection.port));
}

TEST(ReadUdpSockets, ReadsTheKernelsTable) {
  const TemporaryFolder folder(std::filesystem::temp_directory_path());
  std::filesystem::create_directories(folder.path() / "proc/net");
  std::ofstream(folder.path() / "proc/net/udp")
      << "  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   uid  timeout inode ref "
         "pointer\n"
         "  10: 0100007F:A000 0700007F:2328 01 00001000:00000000 00:00000000 00000000  1000        0 4711 2 0 0\n"
         "  11: 00000000:0035 00000000:0000 07 00000000:00000000 00:00000000 00000000     0        0 4712 2 0 0\n";
  std::ofstream(folder.path() / "proc/net/snmp") << "Udp: InDatagrams NoPorts InErrors OutDatagrams\nUdp: 5 0 0 4242\n";
  const std::vector<SocketReading> sockets = ReadUdpSockets(folder.path());
  ASSERT_EQ(sockets.size(), 2u);
  EXPECT_EQ(sockets[0].inode, 4711u);
  EXPECT_EQ(sockets[0].remote, "127.0.0.7:9000");
  EXPECT_EQ(sockets[0].unsent_bytes, 4096);
  EXPECT_EQ(sockets[1].remote, "");
  EXPECT_EQ(UdpDatagramsSent(folder.path()), 4242);
}

}  // namespace
}  // namespace kettle
