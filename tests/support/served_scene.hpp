#pragma once

#include <chrono>
#include <filesystem>
#include <httplib.h>
#include <string>
#include <thread>

#include <nlohmann/json.hpp>

#include "page/server.hpp"
#include "support/files.hpp"

/// The shipped scenes in a folder of their own, one of them served: no test waits on a clock.
class ServedScene {
  public:
    explicit ServedScene(const std::string& scene = "vane.toml",
                         std::chrono::milliseconds longest_answer = std::chrono::minutes{10})
        : server_{{.scene = (copied(folder_) / scene).string(), .longest_answer = longest_answer}},
          thread_{[this] {
              server_.serve();
          }} {
        while (!client().Get("/v1/tunings"))
            std::this_thread::yield();
    }
    ServedScene(const ServedScene&) = delete;
    ServedScene& operator=(const ServedScene&) = delete;
    ~ServedScene() {
        server_.stop();
        thread_.join();
    }

    [[nodiscard]] std::filesystem::path folder() const { return folder_.path() / "quay"; }
    [[nodiscard]] int port() const { return server_.port(); }
    [[nodiscard]] std::string address() const { return server_.address(); }
    void stop() { server_.stop(); }

    [[nodiscard]] httplib::Client client() const {
        httplib::Client made{"127.0.0.1", server_.port()};
        made.set_read_timeout(600);
        return made;
    }

    struct Answer {
        int status = 0;
        nlohmann::json body{};
        [[nodiscard]] std::string problem() const {
            return body.contains("problem") && body["problem"].is_object()
                       ? body["problem"]["message"].get<std::string>()
                       : std::string{};
        }
    };
    [[nodiscard]] Answer get(const std::string& path) const { return answer(client().Get(path)); }
    [[nodiscard]] Answer post(const std::string& path, const nlohmann::json& body) const {
        return post_text(path, body.dump());
    }
    [[nodiscard]] Answer post_text(const std::string& path, const std::string& body,
                                   const std::string& kind = "application/json") const {
        return answer(client().Post(path, body, kind));
    }

  private:
    static std::filesystem::path copied(const TestFolder& folder) {
        std::filesystem::copy(SCENES "/quay", folder.path() / "quay");
        return folder.path() / "quay";
    }
    static Answer answer(const httplib::Result& result) {
        if (!result) return {};
        // Whatever is answered is JSON, a refusal too.
        return {result->status, nlohmann::json::parse(result->body)};
    }

    TestFolder folder_;
    hopcoil::page::LiveServer server_;
    std::thread thread_;
};
