#pragma once

#include <arpa/inet.h>
#include <chrono>
#include <csignal>
#include <functional>
#include <httplib.h>
#include <netinet/in.h>
#include <spawn.h>
#include <stdexcept>
#include <string>
#include <sys/socket.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>
#include <utility>
#include <vector>

#include <nlohmann/json.hpp>

/// A program that runs as long as this lives.
class Program {
  public:
    explicit Program(const std::vector<std::string>& words) {
        std::vector<char*> arguments;
        for (const std::string& word : words)
            arguments.push_back(const_cast<char*>(word.c_str()));
        arguments.push_back(nullptr);
        if (::posix_spawnp(&id_, arguments[0], nullptr, nullptr, arguments.data(), environ) != 0) {
            throw std::runtime_error{"cannot start " + words[0]};
        }
    }
    Program(const Program&) = delete;
    Program& operator=(const Program&) = delete;
    ~Program() { end(SIGTERM); }

    /// Its exit code; -1 when it did not end by itself.
    int end(int signal) {
        if (id_ == 0) return -1;
        ::kill(id_, signal);
        int status = 0;
        ::waitpid(id_, &status, 0);
        id_ = 0;
        return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    }

  private:
    pid_t id_ = 0;
};

/// A browser without a screen, driven by the W3C's WebDriver protocol.
class Browser {
  public:
    using Json = nlohmann::json;

    Browser(int width, int height) : driver_{{"chromedriver", port_word(), "--log-level=OFF"}} {
        http_.set_read_timeout(60);
        wait_until("the driver answers", [&] { return static_cast<bool>(http_.Get("/status")); });
        const Json arguments{
            "--headless=new",
            "--no-sandbox",
            "--use-angle=swiftshader",  // space is drawn without a graphics card
            "--enable-unsafe-swiftshader",
            "--ignore-gpu-blocklist",
            "--hide-scrollbars",
            "--disable-dev-shm-usage",
            "--force-device-scale-factor=0.5",  // fewer pixels to paint
            "--force-prefers-reduced-motion",
            "--window-size=" + std::to_string(width) + "," + std::to_string(height)};
        const Json wanted{{"capabilities",
                           {{"alwaysMatch",
                             {{"browserName", "chrome"},
                              {"goog:loggingPrefs", {{"browser", "ALL"}}},
                              {"goog:chromeOptions", {{"args", arguments}}}}}}}};
        session_ = "/session/" + post("/session", wanted)["sessionId"].get<std::string>();
        resize(width, height);
    }
    Browser(const Browser&) = delete;
    Browser& operator=(const Browser&) = delete;
    ~Browser() { http_.Delete(session_); }

    void open(const std::string& address) { post(session_ + "/url", {{"url", address}}); }

    void resize(int width, int height) {
        post(session_ + "/goog/cdp/execute", {{"cmd", "Emulation.setDeviceMetricsOverride"},
                                              {"params",
                                               {{"width", width},
                                                {"height", height},
                                                {"deviceScaleFactor", 1},
                                                {"mobile", false}}}});
    }

    /// What some script of the page returns.
    Json run(const std::string& script, const Json& arguments = Json::array()) {
        return post(session_ + "/execute/sync", {{"script", script}, {"args", arguments}});
    }
    std::string text_of(const std::string& selector) {
        return run("return document.querySelector(arguments[0]).textContent", Json{selector})
            .get<std::string>();
    }
    void click(const std::string& selector) {
        try {
            post(element(selector) + "/click", Json::object());
        } catch (const std::runtime_error& problem) {
            // The page may have made it anew between the two requests.
            if (std::string{problem.what()}.find("stale") == std::string::npos) throw;
            post(element(selector) + "/click", Json::object());
        }
    }
    void type(const std::string& selector, const std::string& text) {
        post(element(selector) + "/value", {{"text", text}});
    }
    void clear(const std::string& selector) { post(element(selector) + "/clear", Json::object()); }

    struct Point {
        double x = 0;
        double y = 0;
    };
    Point middle_of(const std::string& selector) {
        const Json box =
            run("const r = document.querySelector(arguments[0]).getBoundingClientRect();"
                "return [r.left + r.width / 2, r.top + r.height / 2]",
                Json{selector});
        return {box[0], box[1]};
    }
    /// Presses at the first of some points, goes through the others, and stays there.
    void drag(const std::vector<Point>& way, bool let_go, int pause_ms = 30) {
        Json actions = Json::array();
        for (std::size_t i = 0; i < way.size(); ++i) {
            actions.push_back({{"type", "pointerMove"},
                               {"duration", i == 0 ? 0 : pause_ms},
                               {"x", static_cast<int>(way[i].x)},
                               {"y", static_cast<int>(way[i].y)}});
            if (i == 0) actions.push_back({{"type", "pointerDown"}, {"button", 0}});
        }
        if (let_go) actions.push_back({{"type", "pointerUp"}, {"button", 0}});
        post(session_ + "/actions",
             {{"actions",
               {{{"type", "pointer"}, {"id", "mouse"}, {"actions", std::move(actions)}}}}});
    }

    /// What the page has complained of.
    Json complaints() {
        Json serious = Json::array();
        for (const Json& each : post(session_ + "/se/log", {{"type", "browser"}})) {
            if (each["level"] == "SEVERE") serious.push_back(each["message"]);
        }
        return serious;
    }

    static void wait_until(const std::string& what, const std::function<bool()>& holds) {
        const auto end = std::chrono::steady_clock::now() + std::chrono::seconds{300};
        while (!holds()) {
            if (std::chrono::steady_clock::now() > end)
                throw std::runtime_error{"waited in vain until " + what};
            std::this_thread::sleep_for(std::chrono::milliseconds{20});
        }
    }

  private:
    std::string port_word() const { return "--port=" + std::to_string(port_); }

    /// A port that nobody has right now.
    static int free_port() {
        const int probe = ::socket(AF_INET, SOCK_STREAM, 0);
        sockaddr_in address{};
        address.sin_family = AF_INET;
        address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        socklen_t size = sizeof(address);
        ::bind(probe, reinterpret_cast<sockaddr*>(&address), size);
        ::getsockname(probe, reinterpret_cast<sockaddr*>(&address), &size);
        ::close(probe);
        return ntohs(address.sin_port);
    }

    Json post(const std::string& path, const Json& body) {
        const auto result = http_.Post(path, body.dump(), "application/json");
        if (!result) throw std::runtime_error{"the driver does not answer at " + path};
        const Json answer = Json::parse(result->body);
        if (result->status != 200) throw std::runtime_error{answer["value"]["message"]};
        return answer["value"];
    }
    std::string element(const std::string& selector) {
        const Json found =
            post(session_ + "/element", {{"using", "css selector"}, {"value", selector}});
        return session_ + "/element/" + found.begin().value().get<std::string>();
    }

    int port_ = free_port();
    Program driver_;
    httplib::Client http_{"127.0.0.1", port_};
    std::string session_;
};
