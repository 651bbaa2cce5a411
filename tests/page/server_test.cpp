// The live page's server against whoever means it ill, and whoever is merely slow.

#include <arpa/inet.h>
#include <array>
#include <chrono>
#include <netinet/in.h>
#include <string>
#include <sys/socket.h>
#include <thread>
#include <unistd.h>
#include <vector>

#include <catch2/catch.hpp>
#include <fmt/format.h>

#include "support/served_scene.hpp"

using Catch::Matchers::Contains;
using nlohmann::json;

namespace {

/// Bytes as they are, to the server and back.
class RawConnection {
  public:
    explicit RawConnection(int port) : socket_{::socket(AF_INET, SOCK_STREAM, 0)} {
        sockaddr_in address{};
        address.sin_family = AF_INET;
        address.sin_port = htons(static_cast<std::uint16_t>(port));
        address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        REQUIRE(::connect(socket_, reinterpret_cast<sockaddr*>(&address), sizeof(address)) == 0);
    }
    RawConnection(const RawConnection&) = delete;
    RawConnection& operator=(const RawConnection&) = delete;
    ~RawConnection() { ::close(socket_); }

    void send(const std::string& bytes) const {
        static_cast<void>(::send(socket_, bytes.data(), bytes.size(), MSG_NOSIGNAL));
    }
    /// Until the server closes, or nothing comes any more.
    [[nodiscard]] std::string receive() const {
        const timeval patience{8, 0};
        ::setsockopt(socket_, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof(patience));
        std::string all;
        std::array<char, 4096> buffer{};
        for (ssize_t n = 0; (n = ::recv(socket_, buffer.data(), buffer.size(), 0)) > 0;)
            all.append(buffer.data(), static_cast<std::size_t>(n));
        return all;
    }

  private:
    int socket_;
};

std::string request(const ServedScene& served, const std::string& line,
                    const std::string& headers = "", const std::string& body = "") {
    const RawConnection connection{served.port()};
    const bool has_host = headers.find("Host:") != std::string::npos;
    connection.send(line + " HTTP/1.1\r\n" +
                    (has_host ? "" : "Host: 127.0.0.1:" + std::to_string(served.port()) + "\r\n") +
                    headers + "Connection: close\r\n\r\n" + body);
    return connection.receive();
}

bool is_alive(const ServedScene& served) {
    return served.get("/v1/scene").status == 200;
}

}  // namespace

TEST_CASE("the page and all of its files are served, and no other file", "[page]") {
    const ServedScene served;
    auto client = served.client();
    const auto page = client.Get("/");
    REQUIRE(page->status == 200);
    CHECK_THAT(page->get_header_value("Content-Type"), Contains("text/html"));
    CHECK_THAT(page->body, Contains("main.js"));
    for (const std::string path : {"/main.js", "/page.css", "/plot.js", "/plot.css", "/icon.svg"})
        CHECK(client.Get(path)->status == 200);
    for (const std::string path :
         {"/../vane.toml", "/..%2fvane.toml", "/%2e%2e/%2e%2e/etc/passwd", "//etc/passwd",
          "/v1/references/..%2f..%2fetc%2fpasswd", "/v1/references/%2e%2e%2fquay%2fwind.csv",
          "/v1/references/vane.toml", "/v1/references/wind.csv%00", "/v1/references/",
          "/v1/nothing", "/main.js/", "/\\..\\vane.toml"}) {
        CAPTURE(path);
        const auto answer = client.Get(path);
        REQUIRE(answer);
        CHECK(answer->status == 404);
        CHECK_THAT(answer->body, !Contains("root:") && !Contains("[target"));
    }
}

TEST_CASE("a request by another name for this machine, or from another's page, is refused",
          "[page]") {
    const ServedScene served;
    const std::string port = std::to_string(served.port());
    const auto is_refused = [&](const std::string& headers) {
        const std::string answer = request(served, "GET /v1/scene", headers);
        return answer.find(" 403 ") != std::string::npos &&
               answer.find("dials") == std::string::npos;
    };
    CHECK(is_refused("Host: evil.example\r\n"));
    CHECK(is_refused("Host: evil.example:" + port + "\r\n"));
    CHECK(is_refused("Host: 127.0.0.1\r\n"));
    CHECK(is_refused("Host: 127.0.0.1:1\r\n"));
    CHECK(is_refused("Host: \r\n"));
    CHECK(is_refused("Origin: http://evil.example\r\n"));
    CHECK(is_refused("Origin: http://127.0.0.1:1\r\n"));
    CHECK(is_refused("Origin: https://127.0.0.1:" + port + "\r\n"));
    CHECK(is_refused("Origin: null\r\n"));
    CHECK_FALSE(is_refused("Origin: http://127.0.0.1:" + port + "\r\n"));
    CHECK_FALSE(
        is_refused("Host: localhost:" + port + "\r\nOrigin: http://localhost:" + port + "\r\n"));
}

TEST_CASE("only this machine is served", "[page]") {
    const ServedScene served;
    CHECK(served.address() == "http://127.0.0.1:" + std::to_string(served.port()) + "/");
    // Bound to the loopback's first address and to no other.
    const int other = ::socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_port = htons(static_cast<std::uint16_t>(served.port()));
    ::inet_pton(AF_INET, "127.0.0.2", &address.sin_addr);
    CHECK(::connect(other, reinterpret_cast<sockaddr*>(&address), sizeof(address)) != 0);
    ::close(other);
}

TEST_CASE("bodies that are huge, cut off or nonsense do no harm", "[page]") {
    const ServedScene served;
    const std::string kind = "Content-Type: application/json\r\n";
    CHECK_THAT(request(served, "POST /v1/run", kind + "Content-Length: 99999999999\r\n", "{}"),
               Contains(" 413 "));
    const std::string deep(100'000, '[');
    CHECK(served.post_text("/v1/run", deep).status == 400);
    CHECK(served.post_text("/v1/run", std::string("{\"values\":{\"\xff\xfe\":1}}")).status == 400);
    CHECK(served.post_text("/v1/run", "{\"values\":{\"a\":1e999}}").status == 400);
    CHECK_THAT(request(served, "POST /v1/run", kind + "Content-Length: -5\r\n", "{}"),
               !Contains(" 200 "));
    CHECK_THAT(request(served, "BREW /v1/run"), !Contains(" 200 "));
    request(served, "GET " + std::string(100'000, 'a'));
    request(served, "\x01\x02\x03");
    CHECK(is_alive(served));
}

TEST_CASE("half a request holds up nobody else", "[page]") {
    const ServedScene served;
    std::vector<std::unique_ptr<RawConnection>> halves;
    for (int i = 0; i < 20; ++i) {
        halves.push_back(std::make_unique<RawConnection>(served.port()));
        halves.back()->send(i % 2 == 0 ? "GET /v1/sc"
                                       : "POST /v1/run HTTP/1.1\r\nHost: 127.0.0.1:" +
                                             std::to_string(served.port()) +
                                             "\r\nContent-Length: 100\r\n\r\n{\"val");
    }
    std::this_thread::sleep_for(std::chrono::milliseconds{100});
    const auto start = std::chrono::steady_clock::now();
    CHECK(is_alive(served));
    CHECK(std::chrono::steady_clock::now() - start < std::chrono::seconds{4});
}

TEST_CASE("two hundred requests at once are all answered, each with its own", "[page]") {
    const ServedScene served;
    constexpr int count = 200;
    std::vector<std::thread> threads;
    std::vector<std::string> words(count);
    for (int i = 0; i < count; ++i) {
        threads.emplace_back([&, i] {
            const double frequency_hz = 0.5 + 0.01 * i;
            const auto answer = served.post(
                "/v1/run",
                {{"values", {{"leaden.frequency_hz", frequency_hz}}}, {"duration_s", 1}});
            if (answer.status == 200)
                words[static_cast<std::size_t>(i)] = answer.body["metrics"][0]["words"];
        });
    }
    for (std::thread& thread : threads)
        thread.join();
    for (int i = 0; i < count; ++i) {
        CHECK(words[static_cast<std::size_t>(i)] ==
              fmt::format("{:.4g} Hz, damping ratio 1, lead 0", 0.5 + 0.01 * i));
    }
    CHECK(is_alive(served));
}

TEST_CASE("who waits for a change is let go when the server ends", "[page]") {
    std::thread waiting;
    const auto start = std::chrono::steady_clock::now();
    {
        const ServedScene served;
        waiting = std::thread{[client = served.client()]() mutable {
            client.Get("/v1/changes?after=1");
        }};
        std::this_thread::sleep_for(std::chrono::milliseconds{300});
    }
    waiting.join();
    CHECK(std::chrono::steady_clock::now() - start < std::chrono::seconds{15});
}

TEST_CASE("a port that somebody has is said to be", "[page]") {
    const ServedScene served;
    const hopcoil::page::ServerSettings taken{.scene = (served.folder() / "vane.toml").string(),
                                              .port = served.port()};
    CHECK_THROWS_WITH(
        hopcoil::page::LiveServer{taken},
        Contains("port " + std::to_string(served.port())) && Contains("cannot be had"));
}
